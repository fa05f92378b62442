import { createStore, useStore } from "zustand";
import type { Id } from "./api";
import { type Level, levelOf, lineTo, loudspeaker, maySound, noLevel, wake } from "./loudspeakers";
import { get, tell } from "./store";
import { words } from "./words";

/** Piece is music that may be played, as the server tells of it. */
export interface Piece {
  title: string;
  bars: number[]; // where each begins, s
  seconds: number; // to the end of the last note
  rows: { id: Id; name: string; machine: string; notes: number }[];
  silent: Silent[];
  parts: number;
}

/** Silent is a row, a part or a bus that is not heard, with the reason. */
export interface Silent {
  name: string;
  reason: string;
}

/** Where music is heard: at a bus (an empty one is the mix), or of some rows alone, as they
 * reach the mix or by themselves. */
export interface Listened {
  bus: Id;
  rows: readonly Id[]; // none for all
  dry: boolean;
}

export interface Performing extends Level {
  name: string; // of the file; empty while none is open
  file: File | null;
  hand: Record<string, Id[]>;
  piece: Piece | null;
  state: "still" | "playing" | "held";
  second: number; // of the piece, that is heard
  at: Listened;
  silent: readonly Silent[];
  gaps: number;
  pace: number | null; // how many times faster than it sounds it was made
  refused: string;
}

const mix: Listened = { bus: "", rows: [], dry: false };

const nothing = {
  name: "",
  file: null,
  hand: {},
  piece: null,
  state: "still",
  second: 0,
  at: mix,
  silent: [],
  gaps: 0,
  pace: null,
  refused: "",
  ...noLevel,
} satisfies Performing;

export const performing = createStore<Performing>(() => nothing);

export const usePerforming = <T>(pick: (s: Performing) => T): T => useStore(performing, pick);

interface Told {
  play?: number; // that it belongs to
  piece?: Piece;
  began?: { bar: number; second: number; seconds: number };
  silent?: Silent[];
  ended?: boolean;
  refused?: string;
  pace?: number;
}

const block = 256; // frames, as the server counts what was heard

let line: WebSocket | null = null;
let node: AudioWorkletNode | null = null;
let play = 0; // the number of what plays
let began = 0; // the second it began with

/** openScore reads a file of music, and whom a person chose for its parts, to be played. */
export async function openScore(file: File, hand: Record<string, Id[]>) {
  const sheet = get().sheet;
  if (!sheet || !maySound()) return;
  closeScore();
  performing.setState({ ...nothing, name: file.name, file, hand });
  node ??= await loudspeaker("performed", heard);
  wake();
  const data = await file.arrayBuffer();
  const at = new WebSocket(lineTo(sheet.id, "perform"));
  at.binaryType = "arraybuffer";
  line = at;
  at.onopen = () => {
    at.send(data);
    if (Object.keys(hand).length > 0) say({ cast: { hand } });
  };
  at.onmessage = (e) => {
    if (line !== at) return;
    if (e.data instanceof ArrayBuffer) sound(e.data);
    else told(JSON.parse(e.data as string) as Told);
  };
  at.onclose = (e) => {
    if (line !== at) return;
    line = null;
    node?.port.postMessage({ begin: ++play });
    const refused = e.reason || words.performing.theConnectionWasLost;
    performing.setState({ state: "still", refused });
  };
}

/** closeScore puts the music away. */
export function closeScore() {
  node?.port.postMessage({ begin: ++play });
  line?.close();
  line = null;
  performing.setState(nothing);
}

function say(m: object) {
  if (line?.readyState === WebSocket.OPEN) line.send(JSON.stringify(m));
}

/** playFrom plays from a second of the piece on. */
export function playFrom(second: number) {
  if (!line || !node) return;
  wake();
  play++;
  began = second;
  node.port.postMessage({ begin: play });
  const { at, hand } = performing.getState();
  say({
    play: { number: play, from: second, hand, bus: at.bus, rows: at.rows, dry: at.dry, rate: node.context.sampleRate },
  });
  performing.setState({ state: "playing", second, silent: [], gaps: 0, refused: "" });
}

/** toggle plays, holds, or goes on. */
export function toggle() {
  const { state, second, piece } = performing.getState();
  if (!piece) return;
  if (state === "still") {
    playFrom(second < piece.seconds ? second : 0);
    return;
  }
  wake();
  node?.port.postMessage({ hold: state === "playing" });
  performing.setState({ state: state === "playing" ? "held" : "playing" });
}

/** rest stops the music where it is. */
export function rest() {
  if (performing.getState().state === "still") return;
  say({ stop: {} });
  node?.port.postMessage({ begin: ++play });
  performing.setState({ state: "still", ...noLevel });
}

/** seek goes to a second of the piece, and plays on if it plays. */
export function seek(second: number) {
  const { state, piece } = performing.getState();
  if (!piece) return;
  const to = Math.min(piece.seconds, Math.max(0, second));
  if (state === "playing") playFrom(to);
  else {
    rest();
    performing.setState({ second: to });
  }
}

/** barAt is the bar, from 1, that a second lies in. */
export function barAt(bars: readonly number[], second: number): number {
  let low = 0;
  let high = bars.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (bars[middle]! <= second + 1e-6) low = middle + 1;
    else high = middle;
  }
  return Math.max(1, low);
}

/** hearScoreAt chooses what of the music is heard, and goes on with it. */
export function hearScoreAt(at: Listened) {
  const { state, second } = performing.getState();
  performing.setState({ at });
  if (state === "playing") playFrom(second);
  else if (state === "held") rest();
}

function told(t: Told) {
  if (t.play !== undefined && t.play !== play) return; // of an earlier one
  if (t.piece) performing.setState({ piece: t.piece });
  if (t.began) began = t.began.second;
  if (t.silent) performing.setState((s) => ({ silent: [...s.silent, ...t.silent!] }));
  if (t.ended) node?.port.postMessage({ whole: play });
  if (t.pace) performing.setState({ pace: t.pace });
  if (t.refused) {
    performing.setState((s) => ({ refused: t.refused!, state: "still", piece: s.piece }));
    tell(t.refused, "refused");
  }
}

function sound(data: ArrayBuffer) {
  const head = new DataView(data);
  const frames = new Float32Array(data.slice(8));
  node?.port.postMessage({ play: head.getUint32(0, true), frames }, [frames.buffer]);
}

function heard(m: { play?: number; heard?: number; square?: number; peak?: number; gap?: boolean; done?: number }) {
  if (m.heard !== undefined && m.play === play) {
    say({ heard: [play, Math.floor(m.heard / block)] });
    const { piece } = performing.getState();
    performing.setState({
      second: Math.min(piece?.seconds ?? 0, began + m.heard / (node?.context.sampleRate ?? 48000)),
    });
  }
  if (m.gap) performing.setState((s) => ({ gaps: s.gaps + 1 }));
  if (m.done === play) performing.setState({ state: "still", second: 0, ...noLevel });
  if (m.square !== undefined && performing.getState().state !== "still") {
    const level = levelOf(m.square, m.peak ?? 0);
    const now = performing.getState();
    if (now.rms !== level.rms || now.peak !== level.peak) performing.setState(level);
  }
}
