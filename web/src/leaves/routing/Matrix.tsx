import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, useMemo, useRef, useState } from "react";
import type { Bus, Id, Schemas } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { change, seen } from "../../model/changing";
import { lines } from "../../model/score";
import { sightOf, useShown } from "../../model/sight";
import { select, set, toggleFold, useApp } from "../../model/store";
import { db, rowTint, type Sheet, things, tintOf, tintVar } from "../../model/template";
import { words } from "./words";

const say = words.matrix;

type Route = Schemas["Route"];

interface Source {
  id: Id;
  name: string;
  routes: readonly Route[];
  depth: number;
  tint: string; // a colour
  section?: boolean; // a heading: not a source itself
  folded?: boolean;
  bus?: Bus;
}

const cell = { w: 34, h: 24 };
const head = { w: 210, h: 118 };

/** Matrix is the routing as a grid: what feeds stands at the left, what is fed
 * above. Arrow keys move; a number sets a gain, P its tap, Delete cuts. */
export function Matrix() {
  const sheet = useApp((s) => s.sheet)!;
  const folded = useApp((s) => s.folded);
  const { only } = useShown();
  const shown = useApp((s) => sightOf(s.sheet!, s.sight)?.buses);
  const every = useMemo(() => inOrder(sheet), [sheet.buses, sheet.folds]);
  const rows = useMemo(() => sources(sheet, folded, every, only, shown), [sheet, folded, every, only, shown]);
  // along a sightline of buses, only what these feed stands above
  const buses = useMemo(() => {
    if (!shown) return every;
    const fed = new Set(rows.flatMap((r) => r.routes.map((x) => x.to)));
    return every.filter((b) => fed.has(b.id));
  }, [shown, every, rows]);
  const scroller = useRef<HTMLDivElement>(null);
  const [at, setAt] = useState({ row: 0, column: 0 });
  const [typed, setTyped] = useState<string | null>(null);
  const [base, setBase] = useState(0);
  const down = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => cell.h,
    overscan: 6,
    scrollPaddingStart: head.h,
  });
  const across = useVirtualizer({
    horizontal: true,
    count: buses.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => cell.w,
    overscan: 4,
    scrollPaddingStart: head.w,
  });
  const go = (row: number, column: number) => {
    const next = {
      row: Math.max(0, Math.min(rows.length - 1, row)),
      column: Math.max(0, Math.min(buses.length - 1, column)),
    };
    setAt(next);
    setTyped(null);
    down.scrollToIndex(next.row);
    across.scrollToIndex(next.column);
    const r = rows[next.row];
    if (r && !r.section && !r.bus) select([r.id], r.id);
  };
  const wire = (level?: Schemas["WireSetting"], since?: number) => {
    const row = rows[at.row];
    const to = buses[at.column];
    if (row && to && !row.section) {
      void change({ kind: "connect", wires: [{ from: row.id, to: to.id, ...(level ? { level } : {}) }] }, since);
    }
  };
  const keep = () => {
    const row = rows[at.row];
    const to = buses[at.column];
    const gainDb = Number((typed ?? "").replace("−", "-").replace(",", "."));
    if (typed !== null && typed.trim() !== "" && Number.isFinite(gainDb) && row && to) {
      const old = row.routes.find((r) => r.to === to.id);
      const tap = old?.tap ?? (busKinds[to.kind].sends ? "pre" : "post");
      wire(
        {
          gainDb,
          tap,
          ...(busKinds[to.kind].sends && !row.bus ? { hand: true } : {}),
          ...(old?.at ? { at: old.at } : {}),
        },
        base,
      );
    }
    setTyped(null);
  };
  const key = (e: KeyboardEvent) => {
    const row = rows[at.row];
    const old = row?.routes.find((r) => r.to === buses[at.column]?.id);
    const step: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageUp: [-20, 0],
      PageDown: [20, 0],
    };
    if (typed !== null) {
      if (e.key === "Enter") keep();
      else if (e.key === "Escape") setTyped(null);
      else if (e.key === "Backspace") setTyped(typed.slice(0, -1));
      else if (/^[\d.,−-]$/.test(e.key)) setTyped(typed + e.key);
      else if (step[e.key]) {
        keep();
        go(at.row + step[e.key]![0], at.column + step[e.key]![1]);
      } else return;
    } else if (step[e.key] && !e.ctrlKey && !e.altKey) go(at.row + step[e.key]![0], at.column + step[e.key]![1]);
    else if (e.ctrlKey || e.metaKey || e.altKey) return;
    else if (/^[\d−-]$/.test(e.key)) {
      setBase(seen());
      setTyped(e.key);
    } else if ((e.key === "Enter" || e.key === " ") && row?.section) toggleFold(row.id);
    else if (e.key === "Enter") {
      setBase(seen());
      setTyped(old ? String(old.gainDb) : "0");
    } else if (e.key === "Delete" && old) wire();
    else if ((e.key === "p" || e.key === "P") && old)
      wire({ ...levelOf(old), tap: old.tap === "pre" ? "post" : "pre" });
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <div
      ref={scroller}
      tabIndex={0}
      role="grid"
      aria-label={say.routingMatrix}
      aria-rowcount={rows.length}
      aria-colcount={buses.length}
      className="min-h-0 min-w-0 flex-1 overflow-auto"
      data-part="matrix"
      onKeyDown={key}
    >
      <div
        className="relative"
        style={{ width: head.w + across.getTotalSize() + 20, height: head.h + down.getTotalSize() }}
      >
        <div className="sticky top-0 z-20 bg-paper" style={{ height: head.h }} role="row">
          <div
            className="sticky left-0 z-10 flex h-full items-end border-line border-r border-b bg-paper px-2 pb-1 text-soft"
            style={{ width: head.w }}
          >
            {say.feedsIsFed}
          </div>
          {across.getVirtualItems().map((c) => {
            const b = buses[c.index]!;
            return (
              <button
                key={b.id}
                type="button"
                tabIndex={-1}
                role="columnheader"
                className={`absolute top-0 flex h-full justify-center overflow-hidden border-line border-b pb-1 text-[12px] ${c.index === at.column ? "bg-band font-semibold" : ""}`}
                style={{
                  left: head.w + c.start,
                  width: cell.w,
                  borderTop: `3px solid ${tintVar(tintOf(sheet, b.section))}`,
                }}
                title={`${b.name}, ${b.kind}`}
                data-column={b.name}
                onClick={() => set({ bus: b.id })}
              >
                <span className="mt-auto max-h-[104px] rotate-180 truncate [writing-mode:vertical-rl]">{b.name}</span>
              </button>
            );
          })}
        </div>
        {down.getVirtualItems().map((r) => {
          const row = rows[r.index]!;
          return (
            <div
              key={`${row.id}${row.section}`}
              role="row"
              aria-rowindex={r.index + 1}
              className={`absolute left-0 flex ${r.index % 2 ? "bg-band" : ""}`}
              style={{ top: head.h + r.start, height: cell.h, width: head.w + across.getTotalSize() }}
              data-source={row.name}
            >
              <button
                type="button"
                tabIndex={-1}
                role="rowheader"
                className={`sticky left-0 z-10 truncate border-line border-r px-2 text-left ${r.index % 2 ? "bg-band" : "bg-paper"} ${row.section ? "font-semibold font-serif" : ""}`}
                style={{ width: head.w, paddingLeft: 8 + row.depth * 10, borderLeft: `3px solid ${row.tint}` }}
                onClick={() => {
                  if (row.section) toggleFold(row.id);
                  else if (row.bus) set({ bus: row.id });
                  else select([row.id], row.id);
                }}
              >
                {row.name}
              </button>
              {across.getVirtualItems().map((c) => {
                const to = buses[c.index]!;
                const route = row.section ? undefined : row.routes.find((x) => x.to === to.id);
                const here = at.row === r.index && at.column === c.index;
                return (
                  <div
                    key={to.id}
                    role="gridcell"
                    aria-selected={here}
                    className={`absolute grid place-items-center border-line border-r text-[11.5px] ${here ? "outline-2 outline-accent -outline-offset-2" : ""} ${c.index === at.column || r.index === at.row ? "bg-chosen/50" : ""}`}
                    style={{
                      left: head.w + c.start,
                      width: cell.w,
                      height: cell.h,
                      ...(route ? { background: `color-mix(in oklab, ${row.tint} 38%, var(--paper))` } : {}),
                    }}
                    title={cellText(row, to, route)}
                    data-cell={to.name}
                    onPointerDown={() => go(r.index, c.index)}
                    onDoubleClick={() => {
                      setBase(seen());
                      setTyped(route ? String(route.gainDb) : "0");
                    }}
                  >
                    {here && typed !== null
                      ? `${typed}|`
                      : route
                        ? `${short(route.gainDb)}${route.tap === "pre" ? say.preFader : ""}`
                        : ""}
                  </div>
                );
              })}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** levelOf is what a route says beside where it leads. */
const levelOf = ({ to: _, ...level }: Route): Schemas["WireSetting"] => level;

const short = (x: number) => db(x).replace(" dB", "");

function cellText(row: Source, to: Bus, route: Route | undefined): string {
  if (!route) return row.section ? "" : say.doesNotFeedType(row.name, to.name);
  return say.toAfterTheFaderSet(row.name, to.name, db(route.gainDb), route.tap === "pre", !!route.hand);
}

function inOrder(sheet: Sheet): Bus[] {
  const kinds = Object.keys(busKinds);
  const place = (b: Bus) => kinds.indexOf(b.kind) * 100 + Math.max(0, sheet.folds.order.indexOf(b.fold ?? ""));
  return things(sheet.buses).sort((a, b) => place(a) - place(b));
}

/** sources are the rows, section by section, and then the buses: all of them, or
 * those of the kinds that are shown. */
function sources(
  sheet: Sheet,
  folded: ReadonlySet<Id>,
  buses: Bus[],
  only: ReadonlySet<Id> | null,
  shown: Schemas["Sightline"]["buses"],
): Source[] {
  const out: Source[] = lines(sheet, folded, only).map((l) => {
    if (l.kind === "section") {
      const name = `${l.section.name}${l.folded ? `, ${say.rows(l.count)}` : ""}`;
      return {
        id: l.section.id,
        name,
        routes: [],
        depth: l.depth,
        tint: tintVar(tintOf(sheet, l.section.id)),
        section: true,
        folded: l.folded,
      };
    }
    const i = sheet.instruments.byId.get(l.id)!;
    return { id: i.id, name: i.name, routes: i.routes, depth: l.depth + 1, tint: rowTint(sheet, i) };
  });
  for (const b of buses) {
    if (shown ? shown.some((kind) => kind === b.kind) : !busKinds[b.kind].last) {
      out.push({ id: b.id, name: b.name, routes: b.routes, depth: 0, tint: tintVar(tintOf(sheet, b.section)), bus: b });
    }
  }
  return out;
}
