import { X } from "lucide-react";
import { Popover } from "radix-ui";
import type { CastPart } from "../../../model/casting";
import type { Catalogue } from "../../../model/catalogue";
import { get } from "../../../model/store";
import { things } from "../../../model/template";
import { words } from "../words";
import { Finder } from "./Finder";

const say = words.castingWho;

interface Props {
  cat: Catalogue;
  part: CastPart;
  byHand: boolean;
  choose: (ids: string[] | null) => void;
}

/** Who shows who plays a part, and lets one choose by hand. */
export function Who({ cat, part: p, byHand, choose }: Props) {
  const ids = p.chosen.map((c) => c.id);
  return (
    <div className="flex flex-wrap items-center gap-1">
      {p.chosen.map((c) => (
        <span
          key={c.id}
          className={`inline-flex items-center gap-1 rounded-[3px] border border-line px-1.5 ${c.inTemplate ? "" : "border-dashed"}`}
          title={`${c.library}${c.inTemplate ? "" : say.comesAsANewRow}`}
        >
          {c.name}
          {byHand && (
            <button
              type="button"
              className="grid size-6 place-items-center"
              aria-label={say.without(c.name)}
              onClick={() => choose(ids.filter((id) => id !== c.id))}
            >
              <X size={12} />
            </button>
          )}
        </span>
      ))}
      <Popover.Root>
        <Popover.Trigger className="button h-6 px-1.5" aria-label={say.chooseWhoPlays(p.name)}>
          {p.chosen.length ? "…" : say.choose}
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content className="floating w-80 p-2" align="start" sideOffset={4}>
            <Finder
              cat={cat}
              first={cat.sounds.find((x) => x.id === p.sound)?.name.toLowerCase() ?? ""}
              rows={things(get().sheet!.instruments).filter((i) => i.kind === "sampled")}
              take={(id, beside) => choose(beside ? [...ids, id] : [id])}
            />
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      {byHand && (
        <button type="button" className="button h-6 px-1.5" onClick={() => choose(null)}>
          {say.byTheList}
        </button>
      )}
    </div>
  );
}
