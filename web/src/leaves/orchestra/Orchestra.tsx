import { useVirtualizer } from "@tanstack/react-virtual";
import { type DragEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { addRows } from "../../model/changing";
import { takeFile } from "../../model/opening";
import { lines } from "../../model/score";
import { set, useApp } from "../../model/store";
import { LeafHead } from "../../parts/LeafHead";
import { useSize } from "../../parts/useSize";
import { Brackets } from "./Brackets";
import { type Field, fieldNamed, fields } from "./fields";
import { PromptDialog } from "./PromptDialog";
import { Row } from "./Row";
import { SectionLine } from "./SectionLine";
import { SelectionMenu } from "./SelectionMenu";
import { TakeOutMenu } from "./TakeOutMenu";
import { useSheetKeys } from "./useSheetKeys";

const lineHeight = 26;
const wideFrom = 860;

export function Orchestra() {
  const sheet = useApp((s) => s.sheet)!;
  const folded = useApp((s) => s.folded);
  const cursor = useApp((s) => s.cursor);
  const ready = useApp((s) => [...s.states.values()].filter((x) => x.state === "ready").length);
  const all = useMemo(() => lines(sheet, folded), [sheet.sections, sheet.instruments, folded]);
  const scroller = useRef<HTMLDivElement>(null);
  const wide = (useSize(scroller)?.width ?? 0) >= wideFrom;
  const shown = useMemo(() => fields.filter((f) => !f.menuOnly && (wide || !f.wideOnly)), [wide]);
  const [column, setColumn] = useState(0);
  const [editing, setEditing] = useState<{ id: Id; field: string } | null>(null);
  const [asking, setAsking] = useState<Field | null>(null);

  const virtual = useVirtualizer({
    count: all.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => lineHeight,
    overscan: 12,
    scrollPaddingStart: 28,
    scrollPaddingEnd: 28,
  });
  const place = useMemo(() => new Map(all.flatMap((l, n) => (l.kind === "row" ? [[l.id, n] as const] : []))), [all]);
  useEffect(() => {
    const at = cursor === null ? undefined : place.get(cursor);
    if (at !== undefined) virtual.scrollToIndex(at, { align: "auto" });
  }, [cursor, place]);

  const startEdit = useCallback((id: Id, field: string) => fieldNamed(field).set && setEditing({ id, field }), []);
  const stopEdit = useCallback((next?: { id: Id; field: string }) => {
    setEditing(next ?? null);
    if (!next) scroller.current?.focus();
  }, []);
  const keys = useSheetKeys({ all, shown, column, setColumn, startEdit, ask: (key) => setAsking(fieldNamed(key)) });
  const grid = `34px ${shown.map((f) => f.width).join(" ")}`;
  const drop = useDrop();

  return (
    <div className="flex min-h-0 flex-1 flex-col" {...drop}>
      <LeafHead title="Orchestra" note={`${sheet.instruments.order.length} instruments, ${ready} ready`}>
        <button type="button" className="button" onClick={() => set({ dialog: "import" })}>
          Bring in…
        </button>
        <TakeOutMenu />
        <SelectionMenu ask={setAsking} />
      </LeafHead>
      {all.length === 0 ? (
        <Empty />
      ) : (
        <div
          ref={scroller}
          role="grid"
          tabIndex={0}
          aria-label="Instruments in score order"
          aria-rowcount={all.length}
          aria-multiselectable="true"
          aria-activedescendant={cursor ? `row-${cursor}` : undefined}
          onKeyDown={keys}
          className={`relative min-h-0 flex-1 overflow-y-auto [scrollbar-gutter:stable] ${cursor ? "quiet-focus" : "focus-visible:outline-offset-[-2px]"}`}
        >
          <div
            role="row"
            className="sticky top-0 z-20 grid h-7 items-center border-line border-b bg-paper pr-3 pl-[62px] text-soft"
            style={{ gridTemplateColumns: grid }}
          >
            <span role="columnheader" aria-label="State" />
            {shown.map((f) => (
              <span key={f.key} role="columnheader" className={f.key === "mib" ? "text-right" : "truncate pr-2"}>
                {f.title}
              </span>
            ))}
          </div>
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
                <SectionLine key={line.section.id} line={line} top={v.start} index={v.index} />
              ) : (
                <Row
                  key={line.id}
                  id={line.id}
                  top={v.start}
                  index={v.index}
                  grid={grid}
                  shown={shown}
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
      )}
      {asking && <PromptDialog field={asking} close={() => setAsking(null)} />}
    </div>
  );
}

/** useDrop takes a row list dropped anywhere on the leaf. */
function useDrop() {
  return {
    onDragOver: (e: DragEvent) => {
      if (e.dataTransfer.types.includes("Files")) e.preventDefault();
    },
    onDrop: (e: DragEvent) => {
      const file = e.dataTransfer.files[0];
      if (!file) return;
      e.preventDefault();
      if (file.name.endsWith(".json")) void takeFile(file);
      else set({ dialog: "import", importing: file });
    },
  };
}

function Empty() {
  return (
    <div className="grid flex-1 place-items-center p-8 text-center">
      <div className="max-w-80">
        <p className="mb-3 font-serif text-[16px]">
          Here stand the instruments, section by section, as on a score page.
        </p>
        <p className="mb-4 text-soft">
          Drop a row list (CSV) here: one row an instrument, with its section, library and stem.
        </p>
        <button type="button" className="button button-main" onClick={() => set({ dialog: "import" })}>
          Bring in a row list
        </button>{" "}
        <button type="button" className="button" onClick={() => void addRows("sampled", 1, null)}>
          Start with one row
        </button>
      </div>
    </div>
  );
}
