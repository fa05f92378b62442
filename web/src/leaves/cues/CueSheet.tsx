import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type MouseEvent, memo, useEffect, useMemo, useRef } from "react";
import type { Id } from "../../model/api";
import {
  type Cue,
  type Film,
  films,
  inOrder,
  removeCues,
  type Settings,
  setCue,
  setFilm,
  setStatus,
  useFilm,
} from "../../model/film";
import { computed } from "../../model/queries";
import { tell, useApp } from "../../model/store";

import { clock, frameOf, secondsOf, timecode } from "../../model/timecode";
import { Cell } from "./Cell";
import { words } from "./words";

const say = words.cueSheet;

const columns =
  "grid min-w-[760px] grid-cols-[68px_minmax(96px,1.6fr)_92px_92px_46px_minmax(84px,1fr)_minmax(72px,.8fr)_minmax(64px,.9fr)_70px_minmax(60px,1fr)] items-center gap-x-1 px-3";

const lineHeight = 26;
const headHeight = 30;

/** SheetLine is the name of a reel, or a cue. */
type SheetLine = { key: string; reel: string } | { key: string; cue: Cue; band: boolean };

/** CueSheet lists the cues of all reels, edited where they stand, with sums below. */
export function CueSheet({ film }: { film: Film }) {
  const chosen = useFilm((s) => s.chosen);
  const list = useMemo(() => inOrder(film), [film]);
  const lines = useMemo(() => {
    const names = new Map(film.reels.map((r) => [r.id, r.name]));
    const out: SheetLine[] = [];
    list.forEach((cue, n) => {
      if (list[n - 1]?.reel !== cue.reel) out.push({ key: `reel ${cue.reel}`, reel: names.get(cue.reel) ?? "" });
      out.push({ key: cue.id, cue, band: n % 2 === 1 });
    });
    return out;
  }, [list, film.reels]);
  const marked = useMemo(() => {
    const out = new Map<Id, string>();
    for (const m of film.marks) if (m.cue) out.set(m.cue, [out.get(m.cue), m.message].filter(Boolean).join("; "));
    return out;
  }, [film.marks]);
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (n) => ("cue" in lines[n]! ? lineHeight : headHeight),
    getItemKey: (n) => lines[n]!.key,
    overscan: 6,
    scrollPaddingStart: headHeight,
  });
  const one = chosen.size === 1 ? [...chosen][0]! : null;
  useEffect(() => {
    const n = lines.findIndex((l) => l.key === one);
    if (n >= 0) virtual.scrollToIndex(n, { align: "auto" });
  }, [one]);
  const choose = (e: MouseEvent, id: Id) => {
    if ((e.target as HTMLElement).closest("input, select")) {
      if (!chosen.has(id)) films.setState({ chosen: new Set([id]) });
      return;
    }
    const next = new Set(e.ctrlKey || e.metaKey ? chosen : []);
    if (e.shiftKey && chosen.size > 0) {
      const order = list.map((c) => c.id);
      const at = order.findIndex((x) => chosen.has(x));
      const to = order.indexOf(id);
      for (const x of order.slice(Math.min(at, to), Math.max(at, to) + 1)) next.add(x);
    } else if (!next.delete(id)) next.add(id);
    films.setState({ chosen: next });
  };
  const keys = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    if (e.key === "Delete" && chosen.size > 0) {
      e.preventDefault();
      e.stopPropagation();
      void removeCues([...chosen]);
      return;
    }
    const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[e.key];
    if (!step || list.length === 0) return;
    e.preventDefault();
    e.stopPropagation();
    const at = list.findIndex((c) => chosen.has(c.id));
    const next = list[Math.max(0, Math.min(list.length - 1, at + step))]!;
    films.setState({ chosen: new Set([next.id]), at: next.start });
  };
  return (
    <div className="flex min-w-0 flex-1 flex-col">
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-auto"
        role="listbox"
        aria-label={say.cuesOfTheProduction}
        data-thing-at={one ? `cue-${one}` : undefined}
        aria-multiselectable
        tabIndex={0}
        onKeyDown={keys}
      >
        <div
          className={`${columns} sticky top-0 z-10 border-line border-b bg-paper py-1 text-soft`}
          role="presentation"
        >
          <span>{say.cue}</span>
          <span>{say.title}</span>
          <span>{say.start}</span>
          <span>{say.end}</span>
          <span className="text-right">{say.length}</span>
          <span className="pl-1">{say.status}</span>
          <span title={say.whatComesAfterItsStatus}>{say.leftToDo}</span>
          <span>{say.who}</span>
          <span className="pl-1" title={say.theRevisionOfItsTemplate}>
            {say.started}
          </span>
          <span>{say.notes}</span>
        </div>
        {list.length === 0 && <p className="px-3 py-2 text-soft">{say.noCueYetBring}</p>}
        <div className="relative" role="presentation" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const line = lines[v.index]!;
            return (
              <div
                key={v.key}
                role="presentation"
                className="absolute inset-x-0 top-0 min-w-[760px]"
                style={{ transform: `translateY(${v.start}px)`, height: v.size }}
              >
                {"cue" in line ? (
                  // biome-ignore lint/a11y/useKeyWithClickEvents: the list is walked by keyboard
                  <div
                    role="option"
                    aria-selected={chosen.has(line.cue.id)}
                    data-cue-row={line.cue.number}
                    data-thing={`cue ${line.cue.id}`}
                    id={`cue-${line.cue.id}`}
                    onClick={(e) => choose(e, line.cue.id)}
                    className={`${columns} h-[26px] cursor-default ${chosen.has(line.cue.id) ? "bg-chosen" : line.band ? "bg-band" : ""}`}
                  >
                    <Line cue={line.cue} settings={film.settings} mark={marked.get(line.cue.id) ?? ""} />
                  </div>
                ) : (
                  <div className="px-3 pt-2 font-semibold font-serif">{say.reel(line.reel)}</div>
                )}
              </div>
            );
          })}
        </div>
      </div>
      <Sums film={film} />
    </div>
  );
}

interface LineProps {
  cue: Cue;
  settings: Settings;
  mark: string;
}

const Line = memo(function Line({ cue, settings, mark }: LineProps) {
  const { frame, statuses } = settings;
  const name = cue.number || cue.title;
  const keepTime = (field: "start" | "end") => (text: string) => {
    const at = frameOf(frame, text);
    if (at === null) return tell(say.isNotATimecode(text, settings.rate), "refused");
    void setCue(cue.id, { [field]: at });
  };
  const left = statuses.slice(statuses.indexOf(cue.status) + 1);
  return (
    <>
      <span className="flex items-center">
        <Cell value={cue.number} label={say.numberOf(name)} keep={(number) => void setCue(cue.id, { number })} />
        {mark && (
          <span className="text-accent" title={mark} aria-label={mark} role="img">
            !
          </span>
        )}
      </span>
      <Cell value={cue.title} label={say.titleOf(name)} keep={(title) => void setCue(cue.id, { title })} />
      <Cell value={timecode(frame, cue.start)} label={say.startOf(name)} keep={keepTime("start")} />
      <Cell value={timecode(frame, cue.end)} label={say.endOf(name)} keep={keepTime("end")} />
      <span className="text-right">{clock(secondsOf(frame, cue.end - cue.start))}</span>
      <select
        className="field h-[22px] min-w-0 border-transparent bg-transparent px-0.5 hover:border-line"
        aria-label={say.statusOf(name)}
        value={cue.status}
        onChange={(e) => {
          const { chosen } = films.getState();
          void setStatus(chosen.has(cue.id) ? [...chosen] : [cue.id], e.target.value);
        }}
      >
        {statuses.map((s) => (
          <option key={s}>{s}</option>
        ))}
      </select>
      <span className="truncate text-soft" title={left.join(say.andThen)} data-part="left">
        {left[0] ?? say.nothing}
      </span>
      <Cell value={cue.who ?? ""} label={say.whoWrites(name)} keep={(who) => void setCue(cue.id, { who })} />
      <StartedFrom cue={cue} />
      <Cell value={cue.notes ?? ""} label={say.notesOf(name)} keep={(notes) => void setCue(cue.id, { notes })} />
    </>
  );
});

/** StartedFrom tells the revision of its template that a cue was started from, with a + where the
 * template has changed since. */
function StartedFrom({ cue }: { cue: Cue }) {
  const sheet = useApp((s) => s.sheet);
  const { data } = useQuery({ ...computed.templates(), staleTime: 60_000 });
  if (!cue.started) return <span />;
  const template = data?.find((t) => t.id === cue.template);
  const here = sheet?.id === cue.template ? sheet : null;
  const now = here?.revision ?? template?.revision ?? 0;
  const changed = now > (cue.version ?? 0);
  const call = here && cue.call ? here.calls.byId.get(cue.call)?.name : undefined;
  const whole = say.revision(
    template?.name ?? say.aTemplateThatIsGone,
    cue.version ?? 0,
    changed ? say.now(now) : "",
    call ? say.ready(call) : "",
  );
  return (
    <span className="truncate pl-1" title={whole} data-part="started-from">
      {say.rev(cue.version ?? "")}
      {changed && " +"}
      {call && `, ${call}`}
    </span>
  );
}

/** Sums tells how much music there is by reel and by status, and when all is written. */
function Sums({ film }: { film: Film }) {
  const { reels, statuses, whole, done, days } = film.sums;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-line border-t px-3 py-1.5" data-part="sums">
      {reels.map((r) => (
        <span key={r.of}>
          {say.reelOfs(r.of, clock(r.seconds))} <span className="text-soft">({r.cues})</span>
        </span>
      ))}
      {statuses
        .filter((s) => s.cues > 0)
        .map((s) => (
          <span key={s.of} className="text-soft">
            {s.of} {clock(s.seconds)}
          </span>
        ))}
      <span className="ml-auto flex items-center gap-1">
        {say.at}
        <Cell
          value={String(film.settings.minutesADay)}
          label={say.minutesOfMusicADay}
          className="w-10 text-right"
          keep={(text) => {
            const minutesADay = Number(text.replace(",", "."));
            if (!(minutesADay >= 0 && minutesADay <= 60)) return tell(say.n0To60Minutes, "refused");
            void setFilm({ minutesADay });
          }}
        />
        {say.minutesADay}
      </span>
      <span data-part="done">
        {whole.left === 0
          ? say.allIsWritten
          : days > 0
            ? say.daysDoneBy(days, new Date(done).toLocaleDateString("en-GB", { day: "numeric", month: "long" }))
            : ""}
      </span>
    </div>
  );
}
