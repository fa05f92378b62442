import { useVirtualizer } from "@tanstack/react-virtual";
import { type SyntheticEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { flatLines, lines } from "../../model/score";
import { sightOf, useShown } from "../../model/sight";
import { get, useApp } from "../../model/store";
import { useSize } from "../../parts/useSize";
import { Brackets } from "./Brackets";
import { fieldNamed, fields, fitting, widths } from "./fields";
import { Row } from "./Row";
import { ask } from "./rowActions";
import { SectionLine } from "./SectionLine";
import { useSheetKeys } from "./useSheetKeys";
import { words } from "./words";

const say = words.scoreSheet;

const lineHeight = 26;
const wideFrom = 860;
const besideColumns = 62 + 34 + 12; // brackets, state, edge
const beyond = 8; // lines drawn above and below the view

/** tellCut names the whole text of a cell under the pointer that shows less. */
function tellCut({ target }: SyntheticEvent) {
  if (!(target instanceof HTMLElement) || !target.dataset.field) return;
  target.title = target.scrollWidth > target.clientWidth ? (target.textContent ?? "") : "";
}

/** ScoreSheet lists the instruments as on a score page. Only the lines in view
 * are drawn, however many there are; a line that leaves the view lends its
 * elements to the one that comes in. */
export function ScoreSheet() {
  const sheet = useApp((s) => s.sheet)!;
  const folded = useApp((s) => s.folded);
  const cursor = useApp((s) => s.cursor);
  const { only, order, pinned } = useShown();
  const sight = useApp((s) => sightOf(s.sheet!, s.sight));
  const columns = sight?.columns;
  const all = useMemo(
    () => (order ? flatLines(sheet, order, only, pinned) : lines(sheet, folded, only, pinned)),
    [sheet.sections, sheet.instruments, folded, only, order, pinned, order === "memory" && sheet.facts],
  );
  const scroller = useRef<HTMLDivElement>(null);
  const size = useSize(scroller);
  // another sightline is seen from its beginning
  useEffect(() => {
    if (scroller.current) scroller.current.scrollTop = 0;
  }, [sight?.id]);
  const wide = (size?.width ?? 0) >= wideFrom;
  const room = (size?.width ?? wideFrom) - besideColumns;
  const shown = useMemo(() => {
    const named = fields.filter(
      (f) => !f.menuOnly && (columns?.length ? columns.includes(f.key) : wide || !f.wideOnly),
    );
    return columns?.length ? named : fitting(named, room);
  }, [wide, columns, room]);
  const [column, setColumn] = useState(0);
  const [editing, setEditing] = useState<{ id: Id; field: string } | null>(null);

  // Always as many lines as fit and some more, so that each line that leaves
  // the view has just one that takes its place.
  const drawn = Math.min(all.length, Math.ceil((size?.height ?? 800) / lineHeight) + 1 + 2 * beyond);
  const virtual = useVirtualizer({
    count: all.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => lineHeight,
    rangeExtractor: ({ startIndex }) => {
      const first = Math.max(0, Math.min(all.length - drawn, startIndex - beyond));
      return Array.from({ length: drawn }, (_, n) => first + n);
    },
    scrollPaddingStart: 28,
    scrollPaddingEnd: 28,
  });
  const place = useMemo(() => new Map(all.flatMap((l, n) => (l.kind === "row" ? [[l.id, n] as const] : []))), [all]);
  const height = size?.height; // the keyboard takes room from below
  useEffect(() => {
    const at = cursor === null ? undefined : place.get(cursor);
    if (at !== undefined) virtual.scrollToIndex(at, { align: "auto" });
  }, [cursor, place, height]);

  const startEdit = useCallback((id: Id, field: string) => {
    const divider = get().sheet!.instruments.byId.get(id)?.kind === "divider";
    if (fieldNamed(field).set) setEditing({ id, field: divider ? "name" : field });
  }, []);
  const stopEdit = useCallback((next?: { id: Id; field: string }) => {
    setEditing(next ?? null);
    if (!next) scroller.current?.focus();
  }, []);
  const keys = useSheetKeys({ all, only, shown, column, setColumn, startEdit, ask });
  // In whole pixels, so that no row has to measure its own columns.
  const across = useMemo(() => widths(shown, room), [shown, room]);
  const grid = `34px ${across.map((w) => `${w}px`).join(" ")}`;

  return (
    <div
      ref={scroller}
      role="grid"
      tabIndex={0}
      aria-label={say.instrumentsInScoreOrder}
      aria-rowcount={all.length}
      aria-multiselectable="true"
      aria-activedescendant={cursor ? `row-${cursor}` : undefined}
      data-thing-at={cursor ? `row-${cursor}` : undefined}
      onKeyDown={keys}
      onMouseOver={tellCut}
      onFocus={tellCut}
      className={`relative min-h-0 flex-1 overflow-y-auto [scrollbar-gutter:stable] ${cursor ? "quiet-focus" : "focus-visible:outline-offset-[-2px]"}`}
    >
      <div
        role="row"
        className="sticky top-0 z-20 grid h-7 items-center border-line border-b bg-paper pr-3 pl-[62px] text-soft"
        style={{ gridTemplateColumns: grid }}
      >
        <span role="columnheader" aria-label={say.state} />
        {shown.map((f) => (
          <span key={f.key} role="columnheader" className={f.key === "mib" ? "text-right" : "truncate pr-2"}>
            {f.title}
          </span>
        ))}
      </div>
      {all.length === 0 && (
        <p className="p-6 text-soft">
          {say.press0ToSeeEverything(
            sight?.buses ? say.showsInRouting(sight.name) : say.nothingShows(sight ? say.along(sight.name) : ""),
          )}
        </p>
      )}
      <div className="relative" role="rowgroup" style={{ height: virtual.getTotalSize() }}>
        <Brackets
          all={all}
          lineHeight={lineHeight}
          from={virtual.range?.startIndex ?? 0}
          to={virtual.range?.endIndex ?? 60}
        />
        {virtual.getVirtualItems().map((v) => {
          const line = all[v.index]!;
          return line.kind === "section" ? (
            <SectionLine key={v.index % drawn} line={line} top={v.start} index={v.index} />
          ) : (
            <Row
              key={v.index % drawn}
              id={line.id}
              top={v.start}
              index={v.index}
              grid={grid}
              shown={shown}
              across={across}
              all={all}
              focus={cursor === line.id ? shown[column]?.key : undefined}
              editing={editing?.id === line.id ? editing.field : undefined}
              startEdit={startEdit}
              stopEdit={stopEdit}
              setColumn={setColumn}
            />
          );
        })}
      </div>
    </div>
  );
}
