import { Pause, Play } from "lucide-react";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { answer, api, type Schemas } from "../../model/api";
import { choose, heard, load, seek, standing, stop, toggle, useHeard } from "../../model/printplayer";
import { clock, type Mark, type PrintRow, type PrintWhole, useLookAgain } from "../../model/prints";
import { toggled } from "../../model/sets";
import { attempt, useApp } from "../../model/store";

import { useSize } from "../../parts/useSize";
import { Beside, Differs, Shapes } from "./Beside";
import { chosenPrint, useChosenPrint } from "./chosen";
import { Residual, Wave } from "./Wave";
import { words } from "./words";

type Report = Schemas["AuditReport"];
type Figures = Schemas["AuditFigures"];

/** Lane is a file that is drawn: its figures and which of the print's files it is. */
interface Lane {
  name: string;
  file: number; // among the report's
  number: number; // of the print's
  sha256: string;
  figures: Figures;
}

interface Group {
  key: string;
  name: string;
  lanes: readonly Lane[];
  sum?: Schemas["AuditNull"];
}

/** groupsOf puts the files under their folds, the mix first, and what is not a stem last. */
function groupsOf(print: PrintWhole, report: Report): Group[] {
  const lanes = report.files.map((figures, file): Lane => {
    const of = print.files.find((f) => f.path === figures.name);
    return { name: figures.stem || figures.name, file, number: of?.number ?? file, sha256: of?.sha256 ?? "", figures };
  });
  const of = (role: string) => lanes.filter((l) => l.figures.role === role);
  const groups: Group[] = [{ key: "mix", name: words.proof.mix, lanes: [...of("mix"), ...of("limited")] }];
  for (const sum of report.folds)
    groups.push({
      key: sum.fold,
      name: sum.name,
      sum,
      lanes: of("stem").filter((l) => l.figures.folds?.includes(sum.fold)),
    });
  groups.push({ key: "other", name: words.proof.guidesAndOthers, lanes: [...of("guide"), ...of("other")] });
  return groups.filter((g) => g.lanes.length > 0);
}

const gutter = 232; // px, for the names
const matching = 160; // px, for what recorded files are

/** Proof shows every file of a print with what is wrong with it, and has it heard. */
export function Proof({ print, report, prints }: { print: PrintWhole; report: Report; prints: readonly PrintRow[] }) {
  const groups = useMemo(() => groupsOf(print, report), [print, report]);
  const seconds = report.frames / report.rateHz;
  const view = useChosenPrint((s) => s);
  const to = view.to || seconds;
  const against = prints.find((p) => p.id === view.against && p.id !== print.id);
  const box = useRef<HTMLDivElement>(null);
  const width = Math.max(100, (useSize(box)?.width ?? 800) - gutter - 12 - (print.recorded ? matching : 0));
  const later = groups.slice(2).filter((g) => g.sum);
  const [folded, setFolded] = useState<ReadonlySet<string>>(new Set(later.map((g) => g.key)));
  useEffect(() => {
    const mix = groups[0]?.lanes[0];
    load(print.id, report.rateHz, seconds, mix ? [mix.number] : []);
  }, [print.id, groups, report.rateHz, seconds]);
  useEffect(() => stop, []);
  const zoom = (by: number, about = standing()) => {
    const long = Math.min(seconds, Math.max(0.05, (to - view.from) * by));
    const from = Math.min(seconds - long, Math.max(0, about - ((about - view.from) / (to - view.from)) * long));
    chosenPrint.setState({ from, to: from + long });
  };
  return (
    <>
      <Transport seconds={seconds} zoom={zoom} fit={() => chosenPrint.setState({ from: 0, to: 0 })}>
        <Beside print={print} prints={prints} />
      </Transport>
      {against && <Shapes print={print} row={against} gutter={gutter} width={width} from={view.from} to={to} />}
      <div
        ref={box}
        className="min-h-[120px] flex-1 overflow-y-auto overflow-x-hidden"
        data-part="lanes"
        onWheel={(e) => {
          if (!e.ctrlKey && !e.shiftKey) return;
          const x = (e.clientX - e.currentTarget.getBoundingClientRect().left - gutter) / width;
          zoom(e.deltaY > 0 ? 1.25 : 0.8, view.from + x * (to - view.from));
        }}
      >
        {groups.map((g) => (
          <section key={g.key} aria-label={g.name} data-group={g.name}>
            <GroupHead
              group={g}
              open={!folded.has(g.key)}
              width={width}
              from={view.from}
              to={to}
              turn={() => setFolded(toggled(folded, g.key))}
            />
            {!folded.has(g.key) &&
              g.lanes
                .filter((l) => !isSilent(l) || print.recorded)
                .map((l) => (
                  <LaneRow
                    key={l.file}
                    print={print}
                    lane={l}
                    rate={report.rateHz}
                    marks={report.marks.filter((m) => m.file === l.file)}
                    width={width}
                    from={view.from}
                    to={to}
                    against={against?.id}
                  />
                ))}
            {!folded.has(g.key) && !print.recorded && <Silent lanes={g.lanes.filter(isSilent)} />}
          </section>
        ))}
      </div>
      <Marks report={report} seconds={seconds} />
    </>
  );
}

interface TransportProps {
  seconds: number;
  zoom: (by: number) => void;
  fit: () => void;
  children: ReactNode;
}

function Transport({ seconds, zoom, fit, children }: TransportProps) {
  const on = useHeard((s) => s.on);
  const refused = useHeard((s) => s.refused);
  const time = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let frame = 0;
    const draw = () => {
      if (time.current) time.current.textContent = clock(standing());
      frame = requestAnimationFrame(draw);
    };
    draw();
    return () => cancelAnimationFrame(frame);
  }, []);
  return (
    <div className="flex h-[36px] shrink-0 items-center gap-2 border-line border-b px-3">
      <button
        type="button"
        className="button"
        aria-label={on ? words.proof.pause : words.proof.play}
        onClick={() => toggle()}
      >
        {on ? <Pause size={14} /> : <Play size={14} />}
      </button>
      <span ref={time} className="w-14 tabular-nums" data-part="print-time" />
      <span className="text-soft">{words.proof.of(clock(seconds))}</span>
      {refused && <span className="text-accent">{refused}</span>}
      {children}
      <span className="ml-auto flex gap-1.5">
        <button type="button" className="button" aria-label={words.proof.zoomIn} onClick={() => zoom(0.5)}>
          +
        </button>
        <button type="button" className="button" aria-label={words.proof.zoomOut} onClick={() => zoom(2)}>
          −
        </button>
        <button type="button" className="button" onClick={fit}>
          {words.proof.wholeCue}
        </button>
      </span>
    </div>
  );
}

/** hear chooses files; with a modifier they are heard beside what is heard already. */
function hear(numbers: readonly number[], beside: boolean) {
  const now = heard.getState().files;
  if (!beside) return choose(numbers);
  const all = numbers.every((n) => now.includes(n));
  choose(all ? now.filter((n) => !numbers.includes(n)) : [...new Set([...now, ...numbers])]);
}

interface HeadProps {
  group: Group;
  open: boolean;
  width: number;
  from: number;
  to: number;
  turn: () => void;
}

function GroupHead({ group: g, open, width, from, to, turn }: HeadProps) {
  const files = useHeard((s) => s.files);
  const on = g.lanes.every((l) => files.includes(l.number));
  const sum = g.sum;
  return (
    <div className="flex h-[28px] items-center border-line border-b bg-band">
      <div className="flex shrink-0 items-center gap-1.5 px-3" style={{ width: gutter }}>
        <button type="button" aria-expanded={open} aria-label={g.name} className="w-3" onClick={turn}>
          {open ? "▾" : "▸"}
        </button>
        <button
          type="button"
          className={`truncate font-serif ${on ? "font-semibold underline" : ""}`}
          title={words.proof.hearAll}
          aria-pressed={on}
          onClick={(e) =>
            hear(
              g.lanes.map((l) => l.number),
              e.ctrlKey || e.metaKey,
            )
          }
        >
          {g.name}
        </button>
        <span className="truncate text-soft">{words.proof.files(g.lanes.length)}</span>
      </div>
      {sum && (
        <div className="relative" style={{ width }}>
          <Residual sum={sum} width={width} from={from} to={to} />
          <span
            className={`pointer-events-none absolute top-1 left-1 ${sum.addsUp || sum.why ? "text-soft" : "text-accent"}`}
          >
            {sum.why ||
              (sum.addsUp
                ? words.proof.addUpResidualDbfs(Math.round(sum.peakDb))
                : words.proof.doNotAddUpResidual(Math.round(sum.peakDb)))}
          </span>
        </div>
      )}
    </div>
  );
}

/** quietest is what counts as silence, dBFS. */
const quietest = -90;

const isSilent = (l: Lane) => l.figures.peakDb < quietest;

/** Silent names the stems in which nobody plays. */
function Silent({ lanes }: { lanes: readonly Lane[] }) {
  if (lanes.length === 0) return null;
  return (
    <p className="border-line border-b py-1.5 pr-3 pl-7 text-soft" data-part="silent">
      {words.proof.nobodyPlaysIn(lanes.map((l) => l.name).join(", "))}
    </p>
  );
}

interface LaneProps {
  print: PrintWhole;
  lane: Lane;
  rate: number;
  marks: readonly Mark[];
  width: number;
  from: number;
  to: number;
  against: string | undefined; // a print
}

function LaneRow({ print, lane: l, rate, marks, width, from, to, against }: LaneProps) {
  const on = useHeard((s) => s.files.includes(l.number));
  const wrong = marks.some((m) => !m.note);
  return (
    <div className="flex h-[36px] items-center border-line border-b" data-lane={l.name}>
      <div className="flex shrink-0 items-center gap-1.5 pr-2 pl-7" style={{ width: gutter }}>
        <button
          type="button"
          aria-pressed={on}
          title={words.proof.hearItAloneWithCtrl}
          className={`truncate text-left ${on ? "font-semibold underline" : ""} ${wrong ? "text-accent" : ""}`}
          onClick={(e) => hear([l.number], e.ctrlKey || e.metaKey)}
        >
          {wrong ? "! " : ""}
          {l.name}
        </button>
        <span className="ml-auto shrink-0 text-soft tabular-nums">
          {l.figures.lufs > -100 ? `${l.figures.lufs.toFixed(1)} LUFS` : words.proof.silent}
        </span>
      </div>
      <div className="relative">
        <Wave
          print={print.id}
          number={l.number}
          sha256={l.sha256}
          rate={l.figures.rateHz || rate}
          width={width}
          from={from}
          to={to}
          marks={marks}
          quiet={!on}
        />
        {against && <Differs print={print.id} number={l.number} against={against} />}
      </div>
      {print.recorded && <WhatItIs print={print} lane={l} />}
    </div>
  );
}

/** WhatItIs lets a person say what a recorded file is. */
function WhatItIs({ print, lane }: { print: PrintWhole; lane: Lane }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const file = print.files.find((f) => f.number === lane.number);
  const stems = [...sheet.buses.byId.values()].filter((b) => b.kind === "stem");
  const say = async (what: string) => {
    const body = { says: { [String(lane.number)]: what } };
    await attempt(() => answer(api.POST("/api/prints/{id}/matches", { params: { path: { id: print.id } }, body })));
    await lookAgain();
  };
  return (
    <select
      className="field ml-auto w-[148px] shrink-0"
      aria-label={words.proof.whatIs(file?.path ?? "")}
      title={words.proof.matched(file?.path ?? "", file?.how || words.proof.toNothing)}
      value={file?.role === "stem" ? file.bus : file?.role}
      onChange={(e) => void say(e.target.value)}
    >
      <option value="">{words.proof.matchByName}</option>
      {Object.entries(words.proof.roles).map(([role, text]) => (
        <option key={role} value={role}>
          {text}
        </option>
      ))}
      {stems.map((b) => (
        <option key={b.id} value={b.id}>
          {b.name}
        </option>
      ))}
    </select>
  );
}

/** Marks lists what is wrong; a click goes there. */
function Marks({ report, seconds }: { report: Report; seconds: number }) {
  const [notes, setNotes] = useState(false);
  const faults = report.marks.filter((m) => !m.note);
  const shown = notes ? report.marks : faults;
  const more = report.marks.length - faults.length;
  if (report.marks.length === 0) return null;
  const go = (m: Mark) => {
    seek(m.from);
    const long = Math.max(2, m.to - m.from) * 1.5;
    const from = Math.max(0, (m.from + m.to) / 2 - long / 2);
    if (long < seconds) chosenPrint.setState({ from, to: Math.min(seconds, from + long) });
  };
  return (
    <div className="max-h-[34%] shrink-0 overflow-y-auto border-line border-t" data-part="print-marks">
      <ul>
        {shown.map((m) => (
          <li key={`${m.code} ${m.file} ${m.from} ${m.message}`} className="px-3 py-1">
            <button
              type="button"
              className="flex w-full gap-2 text-left"
              title={words.proof.goThere}
              onClick={() => go(m)}
            >
              <span className={m.note ? "" : "text-accent"}>
                {m.note ? "" : "! "}
                {m.message}
              </span>
              <span className="ml-auto shrink-0 text-soft">{m.code}</span>
            </button>
            <span className="text-soft">{m.remedy}</span>
          </li>
        ))}
      </ul>
      {more > 0 && (
        <button type="button" className="link px-3 py-1" onClick={() => setNotes(!notes)}>
          {notes ? words.proof.hideNotes : words.proof.notesThatAreProbablyIntended(more)}
        </button>
      )}
    </div>
  );
}
