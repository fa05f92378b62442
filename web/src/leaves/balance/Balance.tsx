import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { DropdownMenu } from "radix-ui";
import { type KeyboardEvent, type MouseEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Id, Instrument } from "../../model/api";
import {
  type BalanceRow,
  follow,
  type Measuring,
  measure,
  measuring as measured,
  stopMeasuring,
  trimBy,
  useMeasuring,
} from "../../model/balance";
import { computed } from "../../model/queries";
import { remember, remembered, select, set, show, tell, useApp } from "../../model/store";
import { pathOf, rowTint, type Sheet, things, wait, when } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { useSize } from "../../parts/useSize";
import { HallView } from "./HallView";
import { HeadroomView } from "./HeadroomView";
import { Scale, ScaleHead } from "./Scale";
import { Starts } from "./Starts";
import { StrengthsView } from "./StrengthsView";
import { words } from "./words";

const say = words.balance;

type View = keyof typeof say.views;
const views = Object.keys(say.views) as View[];
type By = "section" | "instrument";
type Line = { kind: "head"; key: string; text: string } | { kind: "row"; key: string; row: BalanceRow; is: Instrument };

const lineHeight = 26;

/** Balance shows how every row sounds, on one scale. */
export function Balance() {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const { data } = useQuery(computed.balance(sheet.id, sheet.revision));
  const [by, setBy] = useState<By>("section");
  const [view, setView] = useState<View>(() => remembered("balance.view", "levels"));
  const measuring = useMeasuring();
  useEffect(() => void follow(), [sheet.id]);
  const states = useApp((s) => s.states);
  const ready = useMemo(() => [...states.values()].filter((s) => s.state === "ready").map((s) => s.id), [states]);
  const off = data?.rows.filter((r) => r.off).length ?? 0;
  const begin = (rows: readonly Id[]) => measure(rows);
  const before = data?.rows.filter((r) => r.before).map((r) => r.id) ?? [];
  const note = !data
    ? ""
    : data.rows.length === 0
      ? say.nothingMeasuredYet
      : say.heardOff(data.rows.length, off, data.unheard > 0 ? say.notHeard(data.unheard) : "");
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title={say.balance} note={view === "levels" ? note : ""}>
        <fieldset className="flex" aria-label={say.whatShows}>
          {views.map((v) => (
            <button
              key={v}
              type="button"
              className={`button rounded-none first:rounded-l-[3px] last:rounded-r-[3px] not-first:border-l-0 ${view === v ? "bg-chosen font-semibold" : ""}`}
              aria-pressed={view === v}
              onClick={() => {
                setView(v);
                remember("balance.view", v);
              }}
            >
              {say.views[v]}
            </button>
          ))}
        </fieldset>
        {view === "levels" && (
          <select
            className="field"
            value={by}
            onChange={(e) => setBy(e.target.value as By)}
            aria-label={say.orderOfTheRows}
          >
            <option value="section">{say.bySection}</option>
            <option value="instrument">{say.similarRowsTogether}</option>
          </select>
        )}
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className="button" disabled={measuring?.running ?? false}>
            {say.measure}
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="floating p-1" align="end" sideOffset={4}>
              <DropdownMenu.Item className="menu-item" onSelect={() => void begin([])}>
                {say.allRows}
              </DropdownMenu.Item>
              <DropdownMenu.Item
                className="menu-item"
                disabled={selection.size === 0}
                onSelect={() => void begin([...selection])}
              >
                {say.theSelection(selection.size)}
              </DropdownMenu.Item>
              <DropdownMenu.Sub>
                <DropdownMenu.SubTrigger className="menu-item">{say.rowsOfALibrary}</DropdownMenu.SubTrigger>
                <DropdownMenu.Portal>
                  <DropdownMenu.SubContent className="floating max-h-80 overflow-y-auto p-1" sideOffset={4}>
                    {things(sheet.libraries).map((l) => (
                      <DropdownMenu.Item
                        key={l.id}
                        className="menu-item"
                        onSelect={() => void begin(rowsOf(sheet, l.id))}
                      >
                        {l.name}
                      </DropdownMenu.Item>
                    ))}
                  </DropdownMenu.SubContent>
                </DropdownMenu.Portal>
              </DropdownMenu.Sub>
              <DropdownMenu.Item
                className="menu-item"
                disabled={ready.length === 0}
                onSelect={() => void begin(ready)}
                title={say.measureWhatIsReady}
              >
                {say.rollCallOfWhat(ready.length)}
              </DropdownMenu.Item>
              <DropdownMenu.Separator className="my-1 h-px bg-line" />
              <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "calibrate" })}>
                {say.byYourOwnRecording}
              </DropdownMenu.Item>
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
        <button
          type="button"
          className="button"
          disabled={!data || data.rows.length === 0}
          onClick={() => set({ dialog: "level-trims" })}
        >
          {say.levelTrims}
        </button>
      </LeafHead>
      {measuring?.running && <Progress m={measuring} />}
      {measuring && !measuring.running && measuring.changed.length > 0 && (
        <Changed rows={measuring.changed} close={() => measured.setState({ now: { ...measuring, changed: [] } })} />
      )}
      {!measuring?.running && before.length > 0 && <Before rows={before} />}
      {view === "hall" && <HallView />}
      {view === "strengths" && data && <StrengthsView weights={data.weights} />}
      {view === "headroom" && data && <HeadroomView calls={data.calls} />}
      {view === "levels" && data && data.rows.length > 0 && (
        <Rows sheet={sheet} rows={data.rows} workingDb={data.workingDb} by={by} />
      )}
      {view === "levels" && data && data.rows.length > 0 && <Starts strengths={data.strengths} />}
      {view === "levels" && data && data.rows.length === 0 && !measuring?.running && (
        <Empty
          says={say.howEveryRowSoundsHow}
          steps={[
            data.unheard > 0
              ? { text: say.measureAllRows(data.unheard), run: () => void begin([]) }
              : { text: say.seatTheRows, run: () => show("seating") },
            { text: say.byYourOwnRecording, run: () => set({ dialog: "calibrate" }) },
          ]}
        >
          {say.theMachinesPlayAShort}
        </Empty>
      )}
    </div>
  );
}

/** Before names rows that play something other than what was measured. */
function Before({ rows }: { rows: readonly Id[] }) {
  return (
    <div className="flex items-center gap-2 border-line border-b px-3 py-1.5" data-part="measured-before">
      <span className="text-accent">{say.rowsMeasuredBeforeTheirPatches(rows.length)}</span>
      <button type="button" className="button ml-auto h-6 shrink-0" onClick={() => select([...rows], rows[0]!)}>
        {say.select}
      </button>
      <button type="button" className="button h-6 shrink-0" onClick={() => void measure(rows)}>
        {say.Measure}
      </button>
      <button
        type="button"
        className="button button-main h-6 shrink-0"
        title={say.changesTheirLevelTrims}
        onClick={() => void measure(rows, true)}
      >
        {say.measureAndKeepTheLevel}
      </button>
    </div>
  );
}

/** Changed lists the rows that sound different from last time. */
function Changed({ rows, close }: { rows: Measuring["changed"]; close: () => void }) {
  return (
    <section className="border-line border-b px-3 py-2" aria-label={say.changedSinceTheLastTime} data-part="changed">
      <div className="flex items-center">
        <h3 className="text-[15px]">{say.rowsChangedSinceTheLast(rows.length)}</h3>
        <button type="button" className="button ml-auto h-6" onClick={close}>
          {say.seen}
        </button>
      </div>
      <ul className="mt-1 max-h-[130px] overflow-y-auto">
        {rows.map((r) => (
          <li key={r.id}>
            <button type="button" className="link" onClick={() => select([r.id], r.id)}>
              {r.name}
            </button>{" "}
            {r.what.join(", ")}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Progress({ m }: { m: Measuring }) {
  return (
    <div className="flex items-center gap-3 border-line border-b px-3 py-1.5" role="status">
      <span className="h-2 flex-1 rounded-[2px] bg-line">
        <span
          className="block h-2 rounded-[2px] bg-accent"
          style={{ width: `${(100 * m.done) / Math.max(1, m.of)}%` }}
        />
      </span>
      <span className="tabular-nums">
        {say.of(m.done, m.of)}
        {m.leftMs > 0 && say.left(wait(m.leftMs / 1000))}
      </span>
      <button type="button" className="button h-6" onClick={() => void stopMeasuring()}>
        {say.stop}
      </button>
    </div>
  );
}

/** rowsOf are the rows that play patches of a library. */
const rowsOf = (sheet: Sheet, library: Id): Id[] =>
  things(sheet.instruments)
    .filter((i) => i.patches.some((p) => sheet.patches.byId.get(p)?.library === library))
    .map((i) => i.id);

/** linesOf puts rows under what they stand in. */
function linesOf(sheet: Sheet, rows: readonly BalanceRow[], by: By): Line[] {
  const out: Line[] = [];
  const under = new Map<string, Line[]>();
  for (const row of rows) {
    const is = sheet.instruments.byId.get(row.id);
    if (!is?.heard) continue; // gone since, or forgotten
    const key = by === "section" ? pathOf(sheet, is.section) : row.stands;
    const at = under.get(key) ?? [];
    at.push({ kind: "row", key: row.id, row, is });
    under.set(key, at);
  }
  const alone: Line[] = [];
  for (const [key, list] of under) {
    if (by === "instrument" && (list.length < 2 || key === "")) {
      alone.push(...list);
      continue;
    }
    const first = list[0]!;
    const text = by === "section" ? key : first.kind === "row" ? say.as(first.is.name) : "";
    out.push({ kind: "head", key: `head ${key}`, text }, ...list);
  }
  if (alone.length > 0) out.push({ kind: "head", key: "head", text: say.noSimilarRows }, ...alone);
  return out;
}

function Rows({
  sheet,
  rows,
  workingDb,
  by,
}: {
  sheet: Sheet;
  rows: readonly BalanceRow[];
  workingDb: number;
  by: By;
}) {
  const scroller = useRef<HTMLDivElement>(null);
  const width = useSize(scroller)?.width ?? 560;
  const lines = useMemo(() => linesOf(sheet, rows, by), [sheet, rows, by]);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => lineHeight,
    overscan: 8,
  });
  const wide = width > 700;
  const named = wide ? 190 : 150;
  const tones = by === "instrument"; // told where rows alike stand together
  const more = wide ? (tones ? 5 : 4) : 1;
  const figures = 76 + more * 58;
  const gaps = 8 * (more + 2);
  const scale = Math.max(120, width - named - figures - gaps - 24);
  const columns = `${named}px ${scale}px 76px repeat(${more}, 58px)`;
  const selection = useApp((s) => s.selection);
  const order = useMemo(() => lines.flatMap((l) => (l.kind === "row" ? [l.key] : [])), [lines]);
  const anchor = useApp((s) => s.anchor);
  const click = (e: MouseEvent, id: Id) => {
    if (e.ctrlKey || e.metaKey) {
      const next = new Set(selection);
      if (!next.delete(id)) next.add(id);
      return select(next, id);
    }
    const from = anchor ? order.indexOf(anchor) : -1;
    if (!e.shiftKey || from < 0) return select([id], id);
    const to = order.indexOf(id);
    select(order.slice(Math.min(from, to), Math.max(from, to) + 1), id, anchor);
  };
  const cursor = useApp((s) => s.cursor);
  const keys = (e: KeyboardEvent) => {
    const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[e.key];
    if (!step || e.target !== e.currentTarget) return;
    e.preventDefault();
    e.stopPropagation();
    const next = order[Math.max(0, Math.min(order.length - 1, (cursor ? order.indexOf(cursor) : -1) + step))];
    if (!next) return;
    select([next], next);
    virtual.scrollToIndex(lines.findIndex((l) => l.key === next));
  };
  return (
    <>
      <div
        className="grid shrink-0 items-end gap-x-2 border-line border-b py-1 pr-3 pl-3 text-soft"
        style={{ gridTemplateColumns: columns }}
      >
        <span>{say.instrument}</span>
        <ScaleHead width={scale} workingDb={workingDb} />
        <span className="text-right">{say.trimDb}</span>
        <span className="text-right">{say.start}</span>
        {wide && (
          <>
            {tones && (
              <span className="text-right" title={say.howFarItsTone}>
                {say.tone}
              </span>
            )}
            <span className="text-right">{say.place}</span>
            <span className="text-right">{say.decay}</span>
            <span className="text-right">{say.noise}</span>
          </>
        )}
      </div>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-y-auto"
        tabIndex={0}
        role="listbox"
        aria-label={say.rowsByLevel}
        aria-multiselectable
        onKeyDown={keys}
      >
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const line = lines[v.index]!;
            const style = { transform: `translateY(${v.start}px)`, height: lineHeight, gridTemplateColumns: columns };
            if (line.kind === "head")
              return (
                <div
                  key={line.key}
                  role="presentation"
                  className="absolute inset-x-0 flex items-center px-3 font-semibold font-serif"
                  style={{ transform: style.transform, height: lineHeight }}
                >
                  {line.text}
                </div>
              );
            const { row, is } = line;
            const h = is.heard!;
            const chosen = selection.has(row.id);
            return (
              // biome-ignore lint/a11y/useKeyWithClickEvents: the list is walked by keyboard
              <div
                key={line.key}
                role="option"
                aria-selected={chosen}
                data-balance={row.id}
                data-off={row.off || undefined}
                onClick={(e) => click(e, row.id)}
                title={say.measuredByCalibrationOn(row.before, h.by === "stand-in", when(h.on))}
                className={`absolute inset-x-0 grid cursor-default items-center gap-x-2 px-3 ${chosen ? "bg-chosen" : v.index % 2 ? "bg-band" : ""}`}
                style={style}
              >
                <span className={`truncate ${row.before ? "text-accent" : ""}`} title={is.name}>
                  {row.before && "! "}
                  {is.name}
                </span>
                {row.fault ? (
                  <span className="truncate text-accent">! {row.fault}</span>
                ) : (
                  <Scale width={scale} {...row} workingDb={workingDb} tint={rowTint(sheet, is)} />
                )}
                <TrimField
                  ids={chosen ? [...selection].filter((x) => order.includes(x)) : [row.id]}
                  value={is.levelTrimDb ?? 0}
                  name={is.name}
                />
                <Figure value={row.fault ? null : h.startMs} unit="ms" />
                {wide && (
                  <>
                    {tones && <Figure value={row.fault || row.tone === 0 ? null : row.tone} unit="dB" digits={1} />}
                    <Figure value={row.fault ? null : h.position} unit="°" />
                    <Figure value={row.fault || h.decayS === 0 ? null : h.decayS} unit="s" digits={1} />
                    <Figure value={row.fault || h.noise < -120 ? null : h.noise} unit="dB" />
                  </>
                )}
              </div>
            );
          })}
        </div>
      </div>
    </>
  );
}

function Figure({ value, unit, digits = 0 }: { value: number | null; unit: string; digits?: number }) {
  return (
    <span className="truncate text-right tabular-nums">
      {value === null ? <span className="text-soft">–</span> : `${value.toFixed(digits).replace("-", "−")} ${unit}`}
    </span>
  );
}

/** TrimField edits the level trim of a row, or of all that are selected with it. */
function TrimField({ ids, value, name }: { ids: readonly Id[]; value: number; name: string }) {
  const shown = `${value > 0 ? "+" : ""}${value}`.replace("-", "−");
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const keep = () => {
    const db = Number(text.replace("−", "-").replace(",", "."));
    if (text.trim() === "" || Number.isNaN(db) || db < -48 || db > 24) {
      if (text !== shown) tell(say.aLevelTrimIs48, "refused");
      return setText(shown);
    }
    if (db !== value) void trimBy(ids, Math.round(db * 10) / 10);
    else setText(shown);
  };
  return (
    <input
      className="field h-[22px] w-full border-transparent bg-transparent text-right hover:border-line focus:border-line"
      aria-label={say.levelTrimOfDb(name)}
      data-db={value}
      value={text}
      onClick={(e) => e.stopPropagation()}
      onChange={(e) => setText(e.target.value)}
      onBlur={keep}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          setText(shown);
          e.stopPropagation();
        }
      }}
    />
  );
}
