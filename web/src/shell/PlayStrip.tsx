import { Piano, Square, X } from "lucide-react";
import { type ReactNode, useMemo } from "react";
import { useCatalogue } from "../model/catalogue";
import { call } from "../model/changing";
import { keyName } from "../model/keys";
import {
  choose,
  control,
  disarm,
  hearAt,
  hearKeyboards,
  letters,
  noteOff,
  noteOn,
  notReady,
  stop,
  useSounding,
  without,
} from "../model/sounding";
import { useApp } from "../model/store";
import { BusOptions } from "../parts/BusOptions";
import { Keyboard } from "../parts/Keyboard";
import { LevelMeter, levelText } from "../parts/LevelMeter";
import { RestGlyph } from "../parts/RestGlyph";
import { words } from "./words";

const say = words.playStrip;

/** PlayStrip is where rows are played and heard: who is armed, a keyboard, what it plays
 * with, and how loud it is. */
export default function PlayStrip() {
  return (
    <section
      aria-label={say.keyboard}
      className="flex h-[132px] shrink-0 items-stretch gap-3 border-line border-t bg-paper px-3 py-2"
      data-part="play"
    >
      <Rows />
      <Keys />
      <With />
      <Level />
    </section>
  );
}

function Rows() {
  const armed = useSounding((s) => s.armed);
  const warning = useSounding((s) => s.warning);
  const states = useApp((s) => s.states);
  const tacet = armed.filter((a) => states.get(a.home)?.state !== "ready");
  const called = tacet.filter((a) => !states.has(a.home));
  const mute = armed.map((a) => states.get(a.home)).find((s) => s?.state === "ready" && s.reason)?.reason;
  const shown = mute ?? (tacet.length === 0 && warning.endsWith(notReady) ? "" : warning);
  return (
    <div className="flex w-[236px] shrink-0 flex-col gap-1">
      <div className="flex items-center gap-2">
        <h2 className="text-[14px]">{say.armed}</h2>
        {called.length > 0 && (
          <button
            type="button"
            className="button h-6"
            onClick={() =>
              void call(
                tacet.map((a) => a.home),
                "call",
              )
            }
          >
            {called.length === 1 ? say.callIt : say.call(called.length)}
          </button>
        )}
        <button type="button" className="button ml-auto h-6" onClick={disarm} title={say.disarmEveryRowShiftH}>
          {say.disarm}
        </button>
      </div>
      <ul className="min-h-0 flex-1 overflow-y-auto" aria-label={say.rowsThatAreArmed}>
        {armed.map((a) => (
          <li key={a.id} className="flex h-6 items-center gap-1" data-armed={a.id}>
            <RestGlyph state={states.get(a.id)?.state ?? "tacet"} progress={states.get(a.id)?.progress ?? 0} />
            <span
              className="min-w-0 flex-1 truncate"
              title={a.machine ? say.on(a.name, a.machine) : say.hasNoSeat(a.name)}
            >
              {a.name} <span className="text-soft">{a.machine || say.noSeat}</span>
            </span>
            <button
              type="button"
              aria-label={say.disarmName(a.name)}
              className="grid size-6 place-items-center rounded-[3px] hover:bg-band"
              onClick={() => without(a.id)}
            >
              <X size={13} aria-hidden="true" />
            </button>
          </li>
        ))}
      </ul>
      {shown && (
        <p role="status" className="truncate text-accent" title={shown}>
          {shown}
        </p>
      )}
    </div>
  );
}

function Keys() {
  const armed = useSounding((s) => s.armed);
  const pressed = useSounding((s) => s.pressed);
  const middleC = useCatalogue()?.settings.middleC ?? 4;
  const low = Math.min(...armed.map((a) => a.keyLow), 60);
  const high = Math.max(...armed.map((a) => a.keyHigh), 72);
  const flags = useMemo(() => {
    const seen = new Map<number, string>();
    for (const a of armed)
      for (const [n, key] of a.switches.entries()) seen.set(key, armed.length === 1 ? (a.articulations[n] ?? "") : "");
    return [...seen].map(([key, text]) => ({ key, text }));
  }, [armed]);
  return (
    <div className="min-w-0 flex-1 self-end">
      <Keyboard
        low={low}
        high={high}
        flags={flags}
        middleC={middleC}
        pressed={pressed}
        onPress={noteOn}
        onRelease={noteOff}
      />
    </div>
  );
}

function With() {
  const s = useSounding((x) => x);
  const middleC = useCatalogue()?.settings.middleC ?? 4;
  const ways = [...new Set(s.armed.flatMap((a) => a.articulations))];
  return (
    <div className="grid w-[264px] shrink-0 grid-cols-[68px_minmax(0,1fr)] content-start items-center gap-x-2 gap-y-1">
      <Labelled text={say.played}>
        <select
          className="field h-6 w-full min-w-0"
          value={s.how}
          onChange={(e) => choose(e.target.value)}
          aria-label={say.articulation}
        >
          <option value="">{say.asItStands}</option>
          {ways.map((w) => (
            <option key={w}>{w}</option>
          ))}
        </select>
      </Labelled>
      <Labelled text={say.dynamics}>
        <input
          className="w-full min-w-0"
          type="range"
          min={0}
          max={127}
          value={s.dynamics}
          onChange={(e) => control(1, Number(e.target.value))}
          aria-label={say.dynamics}
          title={`${s.dynamics}`}
        />
      </Labelled>
      <Labelled text={say.heard}>
        <select
          className="field h-6 w-full min-w-0"
          value={s.at.as === "dry" ? "dry" : `bus ${s.at.bus}`}
          onChange={(e) => {
            const [as, bus = ""] = e.target.value.split(" ");
            hearAt(as === "dry" ? { as: "dry" } : { as: "bus", bus });
          }}
          aria-label={say.howItIsHeard}
        >
          <option value="dry">{say.byItself}</option>
          <option value="bus ">{say.inTheMix}</option>
          <BusOptions value={(id) => `bus ${id}`} />
        </select>
      </Labelled>
      <span className="text-soft">{say.playedBy}</span>
      <span className="flex gap-1">
        <button
          type="button"
          className="button h-6"
          aria-pressed={s.letters}
          onClick={() => letters(!s.letters)}
          title={say.aToPlayFromZ(keyName(s.octave, middleC))}
        >
          {s.letters ? say.letters(keyName(s.octave, middleC)) : say.Letters}
        </button>
        <button
          type="button"
          className="button h-6"
          aria-pressed={s.midi !== null}
          onClick={() => void hearKeyboards(s.midi === null)}
          title={s.midi?.join(", ")}
        >
          <Piano size={13} aria-hidden="true" /> MIDI
        </button>
        <button
          type="button"
          className="button h-6"
          aria-pressed={s.pedal}
          onClick={() => control(64, s.pedal ? 0 : 127)}
        >
          {say.pedal}
        </button>
      </span>
    </div>
  );
}

function Labelled({ text, children }: { text: string; children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is a child
    <label className="contents">
      <span className="text-soft">{text}</span>
      {children}
    </label>
  );
}

function Level() {
  const { rms, peak, voices, latencyMs, gaps, heard } = useSounding((s) => s);
  return (
    <div className="flex w-[160px] shrink-0 flex-col gap-1">
      <div className="flex items-center gap-2">
        <span data-level={rms} className="tabular-nums">
          {levelText(rms)}
        </span>
        <button type="button" className="button ml-auto h-6" onClick={stop} title={say.stopEverythingThatSoundsEscape}>
          <Square size={11} aria-hidden="true" /> {say.stop}
        </button>
      </div>
      <LevelMeter rms={rms} peak={peak} />
      <p className="text-soft" data-latency={latencyMs ?? ""} data-gaps={gaps} data-heard={heard}>
        {voices > 0 ? say.voices(voices) : say.noVoices}
        {latencyMs !== null && say.afterMs(latencyMs)}
        {gaps > 0 && say.gaps(gaps)}
      </p>
    </div>
  );
}
