import { type FormEvent, useState } from "react";
import { change, seen } from "../../model/changing";
import { get } from "../../model/store";

import type { EmblemValue } from "../../parts/Emblem";
import { EmblemField } from "../../parts/EmblemField";
import { CancelOrSave } from "../../shell/CancelOrSave";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.emblemDialog;

/** EmblemDialog gives the selected rows an emblem of their own; none takes that of their library. */
export function EmblemDialog({ close }: { close: () => void }) {
  const { sheet, selection } = get();
  const [base] = useState(seen);
  const ids = sheet!.instruments.order.filter((id) => selection.has(id));
  const [value, setValue] = useState<EmblemValue | undefined>(sheet!.instruments.byId.get(ids[0] ?? "")?.emblem);
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    if (await change({ kind: "edit", edits: [{ ids, emblem: value ?? {} }] }, base)) close();
  };
  return (
    <Floating title={say.emblemOfRows(ids.length)} open onOpenChange={close} className="w-[440px]">
      <form onSubmit={(e) => void keep(e)}>
        <div className="grid grid-cols-[70px_1fr] gap-y-2">
          <EmblemField value={value} set={setValue} />
        </div>
        <p className="mt-2 text-soft">{say.withoutOneRows}</p>
        <CancelOrSave leave={close} />
      </form>
    </Floating>
  );
}
