import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import type { Bus, Id, Schemas } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { change, seen } from "../../model/changing";
import { obey } from "../../model/delivering";
import type { Effect } from "../../model/effects";
import { usePerforming } from "../../model/performing";
import { computed } from "../../model/queries";
import { useSounding } from "../../model/sounding";
import { select, set, useApp } from "../../model/store";
import { db, panText, readPan, things } from "../../model/template";
import { EffectList } from "../../parts/EffectList";
import { removable } from "./busActions";
import { hearBus, runsOn } from "./hearing";
import { words } from "./words";

const say = words.inspector;

type Route = Schemas["Route"];

/** Inspector shows where the chosen bus or the selected instruments go, and
 * exactly what reaches the bus with what gain; every route is edited here. */
export function Inspector() {
  const sheet = useApp((s) => s.sheet)!;
  const bus = useApp((s) => (s.bus ? s.sheet?.buses.byId.get(s.bus) : undefined));
  const selection = useApp((s) => s.selection);
  if (bus) return <BusInspector key={bus.id} bus={bus} />;
  const rows = sheet.instruments.order.filter(
    (id) => selection.has(id) && sheet.instruments.byId.get(id)!.kind !== "divider",
  );
  if (rows.length === 0) return null;
  const first = sheet.instruments.byId.get(rows[0]!)!;
  const putFader = (gainDb: number, base: number) =>
    void change({ kind: "edit", edits: rows.map((id) => ({ id, gainDb })) }, base);
  const putPan = (pan: number, base: number) =>
    void change({ kind: "edit", edits: rows.map((id) => ({ id, pan })) }, base);
  return (
    <section
      className="max-h-[40%] shrink-0 overflow-y-auto border-line border-t px-3 py-2 @min-[900px]:w-[340px] @min-[900px]:max-h-none @min-[900px]:border-t-0 @min-[900px]:border-l"
      aria-label={say.routesOfTheSelection}
    >
      <div className="mb-1 flex items-center gap-2">
        <h3 className="truncate text-[14px]">
          {first.name}
          {rows.length > 1 && <span className="text-soft"> {say.andMoreSetTogether(rows.length - 1)}</span>}
        </h3>
        <span className="ml-auto flex items-center gap-1 text-soft">
          {say.fader} <Level value={first.gainDb} keep={putFader} label={say.faderOfDb(first.name)} />
        </span>
        <span className="flex items-center gap-1 text-soft">
          {say.pan} <Pan value={first.pan ?? 0} keep={putPan} label={say.panOf(first.name)} />
        </span>
      </div>
      <Routes from={rows} routes={first.routes} />
      <Reaching id={first.id} />
    </section>
  );
}

function BusInspector({ bus }: { bus: Bus }) {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(computed.arriving(sheet.id, sheet.revision, bus.id));
  const putFader = (gainDb: number, base: number) =>
    void change({ kind: "put", buses: [{ at: -1, value: { ...bus, gainDb } }] }, base);
  return (
    <section
      className="flex max-h-[48%] shrink-0 flex-col overflow-y-auto border-line border-t px-3 py-2 @min-[900px]:w-[340px] @min-[900px]:max-h-none @min-[900px]:border-t-0 @min-[900px]:border-l"
      aria-label={say.routesOf(bus.name)}
      data-inspects={bus.name}
    >
      <h3 className="shrink-0 truncate text-[14px]" title={bus.name}>
        {bus.name} <span className="font-normal font-sans text-soft">{bus.kind}</span>
      </h3>
      <div className="mb-1 flex items-center gap-2">
        <span className="mr-auto flex items-center gap-1 text-soft">
          {say.fader} <Level value={bus.gainDb} keep={putFader} label={say.faderOfDb(bus.name)} />
        </span>
        {runsOn(bus) && <HearHere bus={bus} />}
        {removable(bus) && (
          <button type="button" className="button" onClick={() => set({ dialog: "remove-bus" })}>
            {say.remove}
          </button>
        )}
      </div>
      <Routes from={[bus.id]} routes={bus.routes} />
      {runsOn(bus) && (
        <>
          <h4 className="mt-2 mb-1 text-soft">{say.effects}</h4>
          <EffectList
            label={say.effectsOf(bus.name)}
            runs={bus.runs ?? []}
            onMix={busKinds[bus.kind].only}
            keep={(runs) => putRuns(bus, runs)}
          />
          {bus.effect && <p className="mt-1 text-soft">{say.wiringSetsThemBack}</p>}
        </>
      )}
      <h4 className="mt-2 mb-1 text-soft">{data ? say.waysReachIt(data.length) : "…"}</h4>
      {data && <Arriving rows={data} />}
    </section>
  );
}

function putRuns(bus: Bus, runs: Effect[]) {
  const { runs: _, ...bare } = bus;
  void change({ kind: "put", buses: [{ at: -1, value: runs.length > 0 ? { ...bare, runs } : bare }] });
}

/** HearHere lets what is played be heard at the bus. */
function HearHere({ bus }: { bus: Bus }) {
  useApp((s) => s.selection);
  usePerforming((s) => s.name);
  useSounding((s) => s.armed);
  return (
    <button
      type="button"
      className="button"
      disabled={!hearBus.possible(bus)}
      title={say.whatPlaysIsHeard}
      onClick={() => hearBus.run(bus)}
    >
      {say.hear}
    </button>
  );
}

/** Reaching lists every bus that one instrument reaches, over which chain and
 * how loud. */
function Reaching({ id }: { id: Id }) {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(computed.reach(sheet.id, sheet.revision, id));
  if (!data || data.length === 0) return null;
  return (
    <>
      <h4 className="mt-2 mb-1 text-soft">{say.whatItReaches}</h4>
      <ul aria-label={say.whatItReaches} data-part="reaches">
        {data.map((r) => (
          <li key={`${r.bus}${r.chain}`} className="flex h-[22px] items-center gap-2">
            <button type="button" className="min-w-0 flex-1 truncate text-left" onClick={() => set({ bus: r.bus })}>
              {sheet.buses.byId.get(r.bus)?.name}
            </button>
            <span className="truncate text-soft">{r.wet ? say.wet(r.chain) : r.chain}</span>
            {r.ways > 1 && <span className="text-accent">{say.ways(r.ways)}</span>}
            {r.gainDb <= -400 ? (
              <span className="w-20 text-right">{say.silent}</span>
            ) : r.leftDb === r.rightDb ? (
              <span className="w-20 text-right">{db(r.gainDb)}</span>
            ) : (
              <span className="w-32 text-right" title={say.leftAndRight(db(r.gainDb))}>
                {side("L", r.leftDb)} {side("R", r.rightDb)}
              </span>
            )}
          </li>
        ))}
      </ul>
    </>
  );
}

/** side is what reaches one side: "L −3.0". */
const side = (name: string, level: number) =>
  `${name} ${level <= -400 ? say.none : level.toFixed(1).replace("-", "−")}`;

function Arriving({ rows }: { rows: Schemas["Arrival"][] }) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 22,
    overscan: 8,
  });
  return (
    <div
      ref={scroller}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling list is reached by keyboard
      tabIndex={0}
      role="list"
      aria-label={say.whatReachesIt}
      className="min-h-28 flex-1 overflow-y-auto"
      data-part="arriving"
    >
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const a = rows[v.index]!;
          return (
            <div
              key={v.key}
              role="listitem"
              className="absolute inset-x-0 flex h-[22px] items-center gap-2"
              style={{ top: v.start }}
            >
              <button type="button" className="min-w-0 flex-1 truncate text-left" onClick={() => select([a.id], a.id)}>
                {a.name}
              </button>
              <span className="truncate text-soft">{a.chain}</span>
              {a.ways > 1 && <span className="text-accent">{say.ways(a.ways)}</span>}
              <span className="w-20 text-right">{a.gainDb <= -400 ? say.silent : db(a.gainDb)}</span>
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** Routes lists the ways on from instruments or a bus, and makes new ones. */
function Routes({ from, routes }: { from: Id[]; routes: Route[] }) {
  const sheet = useApp((s) => s.sheet)!;
  const wire = (to: Id, level?: Schemas["WireSetting"], base?: number) =>
    void change({ kind: "connect", wires: from.map((f) => ({ from: f, to, ...(level ? { level } : {}) })) }, base);
  const rows = from.every((id) => sheet.instruments.byId.has(id));
  const sends = (b?: Bus) => b && busKinds[b.kind].sends;
  const send = (to: Id) => sends(sheet.buses.byId.get(to));
  // what a person sets on a send stays, whatever its section sends later
  const level = (r: Route, more: Partial<Schemas["WireSetting"]>): Schemas["WireSetting"] => ({
    gainDb: r.gainDb,
    tap: r.tap,
    ...(r.at ? { at: r.at } : {}),
    ...(rows && send(r.to) ? { hand: true } : {}),
    ...more,
  });
  const taken = new Set([...routes.map((r) => r.to), ...from]);
  const free = things(sheet.buses).filter((b) => !taken.has(b.id));
  return (
    <div data-part="routes">
      {routes.length === 0 && <p className="text-soft">{say.itGoesNowhere}</p>}
      {rows && routes.some((r) => r.hand) && (
        <button type="button" className="link text-soft" onClick={() => void obey(from, true)}>
          {say.letItsSendsFollow}
        </button>
      )}
      {routes.map((r) => {
        const to = sheet.buses.byId.get(r.to);
        const name = to?.name ?? "?";
        return (
          <div key={r.to} className="flex h-8 items-center gap-2" data-route={name}>
            <span aria-hidden="true" className="text-soft">
              →
            </span>
            <button type="button" className="min-w-0 flex-1 truncate text-left" onClick={() => set({ bus: r.to })}>
              {name} {sends(to) && <span className="text-soft">{say.sendByHand(!!r.hand)}</span>}
              {r.at && <span className="text-soft">{say.in(r.at)}</span>}
            </button>
            <Level
              value={r.gainDb}
              keep={(gainDb, base) => wire(r.to, level(r, { gainDb }), base)}
              label={say.gainToDb(name)}
            />
            <button
              type="button"
              className="button w-24 justify-center"
              title={say.whereTheSignalIsTaken}
              onClick={() => wire(r.to, level(r, { tap: r.tap === "pre" ? "post" : "pre" }))}
            >
              {r.tap === "pre" ? say.beforeFader : say.afterFader}
            </button>
            <button
              type="button"
              className="button"
              aria-label={say.cutDisconnectFrom(name)}
              onClick={() => wire(r.to)}
            >
              {say.cut}
            </button>
          </div>
        );
      })}
      <select
        className="field mt-1 w-full"
        aria-label={say.connectTo}
        value=""
        onChange={(e) =>
          e.target.value &&
          wire(e.target.value, {
            gainDb: 0,
            tap: send(e.target.value) ? "pre" : "post",
            ...(rows && send(e.target.value) ? { hand: true } : {}),
          })
        }
      >
        <option value="">{say.connectToDots}</option>
        {free.map((b) => (
          <option key={b.id} value={b.id}>
            {b.name} ({b.kind})
          </option>
        ))}
      </select>
    </div>
  );
}

/** Pan edits where a row stands between the sides: middle, 30 left. */
function Pan({ value, keep, label }: { value: number; keep: (pan: number, base: number) => void; label: string }) {
  const [text, setText] = useState<string | null>(null);
  const [base, setBase] = useState(0);
  return (
    <input
      aria-label={label}
      title={say.middle1To100Left}
      className="field w-20 text-right"
      value={text ?? panText(value)}
      onFocus={() => {
        setText(panText(value));
        setBase(seen());
      }}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => {
        const pan = readPan(text ?? "");
        setText(null);
        if (pan !== null && pan !== value) keep(pan, base);
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          setText(null);
          e.stopPropagation();
        }
      }}
    />
  );
}

/** Level edits a gain in dB: Enter keeps, Escape leaves it as it was. */
function Level({ value, keep, label }: { value: number; keep: (db: number, base: number) => void; label: string }) {
  const [text, setText] = useState<string | null>(null);
  const [base, setBase] = useState(0); // the revision looked at when editing began
  const commit = () => {
    const x = Number((text ?? "").replace("−", "-").replace(",", "."));
    setText(null);
    if (text !== null && text.trim() !== "" && Number.isFinite(x) && x !== value) keep(x, base);
  };
  return (
    <input
      aria-label={label}
      className="field w-20 text-right"
      value={text ?? db(value)}
      onFocus={() => {
        setText(String(value));
        setBase(seen());
      }}
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          setText(null);
          e.stopPropagation();
        }
      }}
    />
  );
}
