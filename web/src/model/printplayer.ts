import { createStore, useStore } from "zustand";
import { words } from "./words";

const say = words.printplayer;

/** Source is what is fetched: files of a print, and how they lie on the time of the print that is looked at. */
interface Source {
  print: string;
  rate: number;
  files: readonly number[];
  gain: number; // linear
  offset: number; // s, from the beginning of its files to that of the print that is looked at
}

interface Playing {
  print: string | null;
  rate: number;
  seconds: number; // of the longest file
  files: readonly number[]; // that are heard
  on: boolean;
  at: number; // s, where it stands while it does not play
  refused: string;
  beside: Source | null; // another print that can be heard instead
  other: boolean; // it is heard
}

export const heard = createStore<Playing>(() => ({
  print: null,
  rate: 48_000,
  seconds: 0,
  files: [],
  on: false,
  at: 0,
  refused: "",
  beside: null,
  other: false,
}));

export const useHeard = <T>(pick: (s: Playing) => T) => useStore(heard, pick);

/** Sound is fetched in pieces, s: a short one first, so that it is heard soon; and so much ahead. */
const firstS = 0.25;
const pieceS = 1.5;
const aheadS = 4;
/** What is chosen again begins so much later, s, and fades over. */
const turnS = 0.12;
const fadeS = 0.015;

/** run is one choice of files that plays: pieces that follow each other to the sample. */
interface Run {
  source: Source;
  out: GainNode;
  began: number; // of the context, when `from` is heard
  from: number; // s
  next: number; // frame that is fetched next
  ended: boolean;
}

let context: AudioContext | null = null;
let run: Run | null = null;

const place = () => (context && run ? run.from + context.currentTime - run.began : heard.getState().at);

/** standing is the place that is heard, s. */
export const standing = () => {
  const s = heard.getState();
  return Math.min(s.seconds, Math.max(0, s.on ? place() : s.at));
};

/** load takes a print to be heard; what played before stops. */
export function load(print: string, rate: number, seconds: number, files: readonly number[]) {
  if (heard.getState().print === print) return;
  stop();
  heard.setState({ print, rate, seconds, files, at: 0, refused: "", beside: null, other: false });
}

export function stop() {
  const at = standing();
  run?.out.disconnect();
  if (run) run.ended = true;
  run = null;
  heard.setState({ on: false, at });
}

export async function play(at = standing()) {
  const s = heard.getState();
  if (!s.print || s.files.length === 0) return;
  context ??= new AudioContext();
  await context.resume();
  begin(at >= s.seconds ? 0 : at, 0.05);
  heard.setState({ on: true });
}

export const toggle = () => (heard.getState().on ? stop() : void play());

/** seek goes to a place, s, and goes on from there. */
export function seek(at: number) {
  heard.setState({ at });
  if (heard.getState().on) begin(at, 0.03);
}

/** choose hears other files, without a gap. */
export function choose(files: readonly number[]) {
  heard.setState({ files });
  if (heard.getState().on) begin(place() + turnS, turnS);
}

/** lay puts another print beside the one that is looked at. */
export function lay(beside: Source | null) {
  const again = heard.getState().other;
  heard.setState({ beside, other: again && beside !== null });
  if (again && heard.getState().on) begin(place() + turnS, turnS);
}

/** turn hears the other print instead, or this one again, without a gap. */
export function turn(other: boolean) {
  if (other === heard.getState().other) return;
  heard.setState({ other });
  if (heard.getState().on) begin(place() + turnS, turnS);
}

function sourceNow(): Source | null {
  const s = heard.getState();
  if (s.other && s.beside) return s.beside;
  return s.print ? { print: s.print, rate: s.rate, files: s.files, gain: 1, offset: 0 } : null;
}

/** begin plays from a place, which is heard in so many seconds; what plays fades out there. */
function begin(from: number, within: number) {
  const source = sourceNow();
  if (!context || !source) return;
  const at = context.currentTime + within;
  const before = run;
  const out = context.createGain();
  out.gain.setValueAtTime(0, at);
  out.gain.linearRampToValueAtTime(source.gain, at + fadeS);
  out.connect(context.destination);
  run = {
    source,
    out,
    began: at,
    from,
    next: Math.max(0, Math.round((from + source.offset) * source.rate)),
    ended: false,
  };
  void fill(run, () => {
    if (!before || !context) return;
    before.ended = true;
    const when = Math.max(context.currentTime, at);
    before.out.gain.setValueAtTime(before.source.gain, when);
    before.out.gain.linearRampToValueAtTime(0, when + fadeS);
    setTimeout(() => before.out.disconnect(), (when - context.currentTime + fadeS) * 1000 + 50);
  });
}

/** fill fetches piece after piece of a run, ahead of what is heard. */
async function fill(mine: Run, first: () => void) {
  const { seconds } = heard.getState();
  const { print, rate, files, offset } = mine.source;
  const end = Math.ceil((seconds + offset) * rate);
  for (let piece = firstS; !mine.ended && context; piece = pieceS) {
    const frames = Math.min(Math.round(piece * rate), end - mine.next);
    if (frames <= 0) break;
    let data: Float32Array;
    try {
      const got = await fetch(`/api/prints/${print}/sound?files=${files.join(",")}&from=${mine.next}&frames=${frames}`);
      if (!got.ok) throw new Error(((await got.json()) as { detail?: string }).detail ?? say.theAudioDidNotArrive);
      data = new Float32Array(await got.arrayBuffer());
    } catch (e) {
      heard.setState({ refused: e instanceof Error ? e.message : say.theAudioDidNotArrive });
      stop();
      return;
    }
    if (mine.ended) return;
    if (piece === firstS) first();
    if (data.length > 0) put(mine, data);
    mine.next += frames;
    const ahead = mine.from + (context.currentTime - mine.began) + aheadS;
    const wait = mine.next / rate - offset - ahead;
    if (wait > 0) await new Promise((done) => setTimeout(done, wait * 1000));
  }
  const left = seconds - place();
  if (!mine.ended && run === mine) setTimeout(() => run === mine && stop(), Math.max(0, left) * 1000);
}

function put(mine: Run, data: Float32Array) {
  if (!context) return;
  const { rate, offset } = mine.source;
  const frames = data.length / 2;
  const buffer = context.createBuffer(2, frames, rate);
  for (let side = 0; side < 2; side++) {
    const to = buffer.getChannelData(side);
    for (let n = 0; n < frames; n++) to[n] = data[2 * n + side] ?? 0;
  }
  const source = context.createBufferSource();
  source.buffer = buffer;
  source.connect(mine.out);
  const when = mine.began + mine.next / rate - offset - mine.from;
  const late = context.currentTime - when;
  if (late < frames / rate) source.start(Math.max(when, context.currentTime), Math.max(0, late));
}
