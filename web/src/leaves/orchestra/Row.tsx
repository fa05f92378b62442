import { type DragEvent, type MouseEvent, memo } from "react";
import type { Id, Schemas } from "../../model/api";
import { between, type Line } from "../../model/score";
import { pageId } from "../../model/sending";
import { get, select, useApp } from "../../model/store";
import { emblemOf, rowTint } from "../../model/template";
import { Emblem } from "../../parts/Emblem";
import { RestGlyph } from "../../parts/RestGlyph";
import { CellEditor } from "./CellEditor";
import { carries, dragged, moveRows, takePatches } from "./dragging";
import { type Field, fieldNamed } from "./fields";
import { words } from "./words";

const say = words.row;

const em = 13; // pixels; no letter is wider

interface Props {
  id: Id;
  top: number;
  index: number;
  grid: string;
  shown: Field[];
  across: number[]; // the width in pixels of each field
  all: readonly Line[];
  focus: string | undefined; // the field under focus
  editing: string | undefined;
  startEdit: (id: Id, field: string) => void;
  stopEdit: (next?: { id: Id; field: string }) => void;
  setColumn: (n: number) => void;
}

/** Row is one instrument of the sheet. */
export const Row = memo(function Row({
  id,
  top,
  index,
  grid,
  shown,
  across,
  all,
  focus,
  editing,
  startEdit,
  stopEdit,
  setColumn,
}: Props) {
  const sheet = useApp((s) => s.sheet)!;
  const chosen = useApp((s) => s.selection.has(id));
  const state = useApp((s) => s.states.get(id));
  const by = useApp((s) => s.here.find((h) => h.id !== pageId && h.selected.includes(id))?.name);
  const i = sheet.instruments.byId.get(id);
  if (!i) return null;

  const click = (e: MouseEvent) => {
    const { selection, anchor } = get();
    if (e.shiftKey && anchor) select(between(all, anchor, id), id, anchor);
    else if (e.ctrlKey || e.metaKey) {
      const next = new Set(selection);
      if (!next.delete(id)) next.add(id);
      select(next, id);
    } else select([id], id);
  };
  const drag = (e: DragEvent) => {
    const ids = chosen ? sheet.instruments.order.filter((x) => get().selection.has(x)) : [id];
    e.dataTransfer.setData("text/fanfold-rows", JSON.stringify(ids));
    e.dataTransfer.effectAllowed = "move";
  };

  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the grid around the rows has the keys
    <div
      id={`row-${id}`}
      role="row"
      aria-rowindex={index + 1}
      aria-selected={chosen}
      data-row={i.name}
      data-thing={`row ${id}`}
      data-state={state?.state ?? "tacet"}
      draggable={editing === undefined}
      onDragStart={drag}
      onDragOver={(e) => carries(e) && e.preventDefault()}
      onDrop={(e) => {
        if (takePatches(e, i.kind === "spare" ? { onto: id } : { before: id })) return;
        const ids = dragged(e);
        if (ids) moveRows(ids, i.section, id);
      }}
      onClick={click}
      className={`absolute inset-x-0 top-0 grid h-[26px] cursor-default [contain:strict] items-center pr-3 pl-[62px] ${chosen ? "bg-chosen shadow-[inset_4px_0_0_var(--accent)]" : index % 2 ? "bg-band" : ""} ${i.kind === "spare" ? "italic" : ""}`}
      style={{ top, gridTemplateColumns: grid }}
    >
      <span role="gridcell" className="flex items-center" title={i.keep ? say.kept : undefined}>
        {i.keep && (
          <span role="img" aria-label={say.kept} className="absolute left-[50px] size-1.5 rounded-full bg-accent" />
        )}
        {by && (
          <span
            role="img"
            aria-label={say.hasItSelected(by)}
            title={say.hasItSelected(by)}
            className="absolute top-1 left-[40px] h-[18px] w-[3px] rounded-full bg-soft"
            data-by={by}
          />
        )}
        {i.kind === "sampled" && (
          <RestGlyph state={state?.state} progress={state?.progress} reason={state && reasonOf(state)} />
        )}
      </span>
      {i.kind === "divider" && editing === "name" && (
        <CellEditor
          key={`${id} name`}
          field={fieldNamed("name")}
          id={id}
          shown={[fieldNamed("name")]}
          stop={stopEdit}
        />
      )}
      {i.kind === "divider" && editing !== "name" && (
        <span
          role="gridcell"
          aria-label={`${say.divider} ${i.name}`}
          title={i.notes}
          onDoubleClick={() => startEdit(id, "name")}
          className="col-start-2 -col-end-1 flex items-center gap-2 text-soft"
        >
          {i.name && <span className="truncate font-serif">{i.name}</span>}
          <span className="min-w-6 flex-1 border-soft border-t opacity-60" />
        </span>
      )}
      {(i.kind === "divider" ? [] : shown).map((f, n) => {
        if (editing === f.key)
          return <CellEditor key={`${id} ${f.key}`} field={f} id={id} shown={shown} stop={stopEdit} />;
        const text = f.text(sheet, i);
        const mayBeCut = text.length * em > across[n]! - 20; // each clip costs as much as a cell
        return (
          <span
            key={f.key}
            role="gridcell"
            data-field={f.key}
            title={
              f.key === "machine" && i.with
                ? say.onTheSeatOf(sheet.instruments.byId.get(i.with)?.name ?? "")
                : mayBeCut
                  ? text
                  : undefined
            }
            onMouseDown={() => setColumn(n)}
            onDoubleClick={() => startEdit(id, f.key)}
            className={`-ml-1 pl-1 leading-[26px] ${mayBeCut ? "truncate" : "whitespace-nowrap"} ${f.key === "mib" ? "text-right" : "pr-2"} ${f.key === "name" ? "font-medium" : "text-soft"} ${focus === f.key ? "outline outline-1 outline-accent -outline-offset-1" : ""}`}
            style={f.key === "stem" && text ? swatch(rowTint(sheet, i)) : undefined}
          >
            {f.key === "library" && <Emblem of={emblemOf(sheet, i)} />}
            {f.key === "library" ? ` ${text}` : text}
          </span>
        );
      })}
    </div>
  );
});

/** reasonOf says more of a state: why, or what it does. */
function reasonOf(state: Schemas["State"]): string | undefined {
  if (state.reason) return state.reason;
  if (state.voices) return say.voicesSound(state.voices);
  if (state.missed) return say.notesOutsideItsTrimLoaded(state.missed);
  return state.armed ? say.armed : undefined;
}

/** swatch is a square of a colour before the text of a cell. */
const swatch = (colour: string) => ({
  background: `linear-gradient(${colour} 0 0) 4px 50% / 8px 8px no-repeat`,
  paddingLeft: 18,
});
