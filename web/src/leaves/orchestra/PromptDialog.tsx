import { type FormEvent, useState } from "react";
import { seen } from "../../model/changing";
import { get } from "../../model/store";
import { Floating } from "../../shell/Floating";
import { LeaveOrSet } from "../../shell/LeaveOrSet";
import type { Field } from "./fields";

const hints: Record<string, string> = {
  machine: "Empty lets them sit anywhere.",
  stem: "A new name makes the stem.",
  library: "A new name makes the library.",
  section: "A path such as Winds / Flutes; a new one makes the section.",
  colour: "Empty takes the section's.",
  "section colour": "Of the sections they stand in. Empty takes that of the section above.",
  kind: "Sampled, input, guide or spare. Others than sampled give up seat and patch.",
};

/** PromptDialog sets one field of the whole selection. */
export function PromptDialog({ field, close }: { field: Field; close: () => void }) {
  const { sheet, selection } = get();
  const [base] = useState(seen);
  const ids = sheet!.instruments.order.filter((id) => selection.has(id));
  const values = new Set(ids.map((id) => (field.value ?? field.text)(sheet!, sheet!.instruments.byId.get(id)!)));
  const [text, setText] = useState(values.size === 1 ? [...values][0]! : "");
  const choices = field.choices?.(sheet!) ?? [];
  const keep = (e: FormEvent) => {
    e.preventDefault();
    close();
    void field.set?.(ids, text, base);
  };
  return (
    <Floating
      title={`Set ${field.key} of ${ids.length} row${ids.length === 1 ? "" : "s"}`}
      open
      onOpenChange={close}
      className="w-96"
    >
      <form onSubmit={keep}>
        <input
          className="field w-full"
          aria-label={field.title}
          value={text}
          list="prompt-choices"
          placeholder={values.size > 1 ? `${values.size} different values` : ""}
          onChange={(e) => setText(e.target.value)}
        />
        <datalist id="prompt-choices">
          {choices.map((c) => (
            <option key={c} value={c} />
          ))}
        </datalist>
        <p className="mt-2 text-soft">{hints[field.key] ?? ""}</p>
        <LeaveOrSet leave={close} />
      </form>
    </Floating>
  );
}
