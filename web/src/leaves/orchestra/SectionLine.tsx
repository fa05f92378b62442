import { ChevronRight } from "lucide-react";
import type { DragEvent } from "react";
import type { Line } from "../../model/score";
import { within } from "../../model/score";
import { get, select, set, toggleFold, useApp } from "../../model/store";
import { carries, dragged, moveRows, takePatches } from "./dragging";
import { RenameSection } from "./RenameSection";
import { words } from "./words";

const say = words.sectionLine;

type Section = Extract<Line, { kind: "section" }>;

/** SectionLine is the heading of a section: fold it, or select all of it. */
export function SectionLine({ line, top, index }: { line: Section; top: number; index: number }) {
  const ready = useApp((s) => countReady(s.states, line.section.id));
  const renaming = useApp((s) => s.renaming === line.section.id);
  const choose = () => {
    const ids = within(get().sheet!, line.section.id);
    select(ids, ids[0] ?? null);
  };
  const drop = (e: DragEvent) => {
    if (takePatches(e, { section: line.section.id })) return;
    const ids = dragged(e);
    if (ids) moveRows(ids, line.section.id, undefined);
  };
  return (
    <div
      role="row"
      aria-rowindex={index + 1}
      data-section={line.section.name}
      data-thing={`section ${line.section.id}`}
      className="absolute inset-x-0 top-0 flex h-[26px] items-center pr-3 [contain:strict]"
      style={{ top, paddingLeft: 40 + line.depth * 4 }}
      onDragOver={(e) => carries(e) && e.preventDefault()}
      onDrop={drop}
    >
      <div role="gridcell" className="flex min-w-0 flex-1 items-center gap-1">
        <button
          type="button"
          aria-label={`${line.folded ? say.unfold : say.fold} ${line.section.name}`}
          aria-expanded={!line.folded}
          className="grid size-6 place-items-center text-soft"
          tabIndex={-1}
          onClick={() => toggleFold(line.section.id)}
        >
          <ChevronRight size={14} className={line.folded ? "" : "rotate-90"} />
        </button>
        {renaming ? (
          <RenameSection key={line.section.id} section={line.section} />
        ) : (
          <button
            type="button"
            tabIndex={-1}
            title={say.selectAllOfDoubleClick(line.section.name)}
            onClick={choose}
            onDoubleClick={() => set({ renaming: line.section.id })}
            className={`min-w-0 flex-1 truncate text-left font-semibold font-serif ${line.depth === 0 ? "text-[16px]" : "text-[14px]"}`}
          >
            {line.section.name}
          </button>
        )}
      </div>
      <span role="gridcell" className="text-[12px] text-soft">
        {line.count}
        {ready > 0 && say.ready(ready)}
      </span>
    </div>
  );
}

function countReady(states: ReadonlyMap<string, { id: string; state: string }>, section: string): number {
  const sheet = get().sheet!;
  let n = 0;
  for (const s of states.values()) {
    if (s.state !== "ready") continue;
    let at = sheet.instruments.byId.get(s.id)?.section;
    while (at && at !== section) at = sheet.sections.byId.get(at)?.parent;
    if (at) n++;
  }
  return n;
}
