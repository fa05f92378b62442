import { createStore, useStore } from "zustand";
import type { Id } from "./api";
import { levelOf, lineTo, loudspeaker, maySound, noLevel, wake } from "./loudspeakers";
import { get, tell } from "./store";
import { words } from "./words";

/** Armed is a row that is played, as the server tells of it. */
export interface Armed {
  id: Id;
  name: string;
  machine: string;
  ready: boolean;
  keyLow: number;
  keyHigh: number;
  dynamics: number; // the controller value it begins with; -1 for none
  switches: number[];
  articulations: string[];
  home: Id;
}

interface Told {
  armed?: Armed[];
  notReady?: string[];
  lost?: string;
  stolen?: number;
  dry?: number;
  refused?: string;
}

/** Where rows are heard: by themselves, or at a bus with its effects; an empty one is the mix. */
export type HeardAt = { as: "dry" } | { as: "bus"; bus: Id };

export interface Sounding {
  open: boolean; // the keyboard shows
  armed: readonly Armed[];
  at: HeardAt;
  how: string; // the articulation; empty as the patches stand
  dynamics: number; // 0..127
  pedal: boolean;
  letters: boolean; // the computer's keys play
  octave: number; // the C that the computer's keys begin with, MIDI note
  midi: readonly string[] | null; // keyboards that are heard; null while none is asked for
  pressed: ReadonlySet<number>;
  rms: number; // of what is heard, dBFS
  peak: number;
  voices: number;
  latencyMs: number | null; // from the last key to its sound
  heard: number; // notes that were, since the rows were armed
  gaps: number; // since the rows were armed: sound that did not come in time
  warning: string; // what there is to tell of the sound
  connected: boolean;
}

export const sounding = createStore<Sounding>(() => ({
  open: false,
  armed: [],
  at: { as: "dry" },
  how: "",
  dynamics: 90,
  pedal: false,
  letters: false,
  octave: 48,
  midi: null,
  pressed: new Set(),
  ...noLevel,
  voices: 0,
  latencyMs: null,
  heard: 0,
  gaps: 0,
  warning: "",
  connected: false,
}));

export const useSounding = <T>(pick: (s: Sounding) => T): T => useStore(sounding, pick);

const open = 1; // a WebSocket that is

let line: WebSocket | null = null;
let lineOf = ""; // the template it listens to
let node: AudioWorkletNode | null = null;
let pressedAt: number | null = null;
const voices = new Map<number, number>(); // by machine

/** arm plays rows from now on; none puts everything away. */
export async function arm(ids: readonly Id[]) {
  if (ids.length === 0) return disarm();
  if (!maySound()) return;
  const sheet = get().sheet;
  if (!sheet) return;
  sounding.setState({ open: true, warning: "", gaps: 0, heard: 0 });
  node ??= await loudspeaker("played", heard);
  wake();
  await dial(sheet.id);
  say({ arm: { rows: ids, ...sounding.getState().at } });
}

/** disarm lets every row go and falls silent. */
export function disarm() {
  stop();
  line?.close();
  line = null;
  letters(false);
  sounding.setState({ open: false, armed: [], pressed: new Set(), how: "", warning: "", connected: false });
}

function heard(m: { first?: number; square?: number; peak?: number; gap?: boolean }) {
  if (m.gap) sounding.setState((s) => ({ gaps: s.gaps + 1 }));
  if (m.first !== undefined && pressedAt !== null) {
    const latencyMs = Math.round(performance.now() - pressedAt);
    sounding.setState((s) => ({ latencyMs, heard: s.heard + 1 }));
    pressedAt = null;
  }
  if (m.square !== undefined) {
    const { rms, peak } = levelOf(m.square, m.peak ?? 0);
    const now = sounding.getState();
    if (now.rms !== rms || now.peak !== peak) sounding.setState({ rms, peak });
  }
}

/** dial opens the line to a template, unless it is open. */
function dial(template: Id): Promise<void> {
  if (line && lineOf === template && line.readyState === open) return Promise.resolve();
  line?.close();
  const at = new WebSocket(lineTo(template, "listen"));
  at.binaryType = "arraybuffer";
  line = at;
  lineOf = template;
  at.onmessage = (e) => {
    if (e.data instanceof ArrayBuffer) block(e.data);
    else told(JSON.parse(e.data as string) as Told);
  };
  at.onclose = (e) => {
    if (line !== at) return;
    line = null;
    const why = e.reason || words.sounding.theConnectionWasLost;
    sounding.setState({ connected: false, armed: [], pressed: new Set(), warning: why });
  };
  return new Promise((resolve) => {
    at.onopen = () => {
      sounding.setState({ connected: true });
      resolve();
    };
    at.addEventListener("close", () => resolve());
  });
}

/** block hands what a machine sends to the loudspeakers. */
function block(data: ArrayBuffer) {
  const head = new DataView(data);
  const machine = head.getUint8(0);
  const last = head.getUint8(1) === 1;
  voices.set(machine, last ? 0 : head.getUint16(2, true));
  const sum = [...voices.values()].reduce((a, b) => a + b, 0);
  if (sum !== sounding.getState().voices) sounding.setState({ voices: sum });
  const frames = new Float32Array(data.slice(8));
  node?.port.postMessage({ machine, number: head.getUint32(4, true), last, frames }, [frames.buffer]);
}

/** notReady ends what is said of rows that were played too early. */
export const notReady = words.sounding.notReadyCallItFirst;

function told(t: Told) {
  if (t.armed) {
    sounding.setState((s) => ({
      armed: t.armed!,
      how: t.armed!.some((a) => a.articulations.includes(s.how)) ? s.how : "",
      // a row that is armed again begins with its own dynamics
      dynamics: s.armed.length === 0 && (t.armed![0]?.dynamics ?? -1) >= 0 ? t.armed![0]!.dynamics : s.dynamics,
    }));
  }
  const warning = t.lost
    ? words.sounding.noLongerSoundsItMay(t.lost)
    : t.refused
      ? t.refused
      : t.notReady
        ? `${t.notReady.join(", ")}: ${notReady}`
        : t.dry
          ? words.sounding.thereWereGapsSamplesDid
          : t.stolen
            ? words.sounding.tooManyVoicesTheOldest
            : "";
  if (warning) sounding.setState({ warning });
}

function say(m: object) {
  if (line?.readyState === open) line.send(JSON.stringify(m));
}

/** noteOn presses a key, noteOff lets it go. */
export function noteOn(key: number, velocity: number) {
  if (key < 0 || key > 127) return;
  wake();
  if (sounding.getState().pressed.size === 0) pressedAt = performance.now();
  say({ on: [key, Math.min(127, Math.max(1, Math.round(velocity)))] });
  sounding.setState((s) => ({ pressed: new Set(s.pressed).add(key) }));
}

export function noteOff(key: number) {
  if (!sounding.getState().pressed.has(key)) return;
  say({ off: key });
  sounding.setState((s) => {
    const pressed = new Set(s.pressed);
    pressed.delete(key);
    return { pressed };
  });
}

/** stop stops everything that sounds. */
export function stop() {
  say({ stop: {} });
  sounding.setState({ pressed: new Set(), pedal: false });
}

export function control(number: number, value: number) {
  say({ control: [number, value] });
  if (number === 1) sounding.setState({ dynamics: value });
  if (number === 64) sounding.setState({ pedal: value >= 64 });
}

export function choose(how: string) {
  say({ how });
  sounding.setState({ how });
}

export function hearAt(at: HeardAt) {
  sounding.setState({ at });
  const rows = sounding.getState().armed.map((a) => a.id);
  if (rows.length > 0) say({ arm: { rows, ...at } });
}

/** without lets one row go. */
export function without(id: Id) {
  const rows = sounding
    .getState()
    .armed.map((a) => a.id)
    .filter((x) => x !== id);
  if (rows.length === 0) disarm();
  else say({ arm: { rows, ...sounding.getState().at } });
}

// ---- the computer's keys ----

/** As on a piano: the home row is white, the row above it black. */
const places: Record<string, number> = {
  KeyA: 0,
  KeyW: 1,
  KeyS: 2,
  KeyE: 3,
  KeyD: 4,
  KeyF: 5,
  KeyT: 6,
  KeyG: 7,
  KeyY: 8,
  KeyH: 9,
  KeyU: 10,
  KeyJ: 11,
  KeyK: 12,
  KeyO: 13,
  KeyL: 14,
  KeyP: 15,
  Semicolon: 16,
};

const lettersVelocity = 90;
const held = new Map<string, number>(); // the keys that letters hold

/** lettered takes a letter as a key of the piano; false when it is none. */
export function lettered(code: string, down: boolean): boolean {
  const s = sounding.getState();
  if (!s.letters) return false;
  if (!down) {
    const key = held.get(code);
    held.delete(code);
    if (key !== undefined) noteOff(key);
    return key !== undefined;
  }
  if (code === "KeyZ" || code === "KeyX") {
    sounding.setState({ octave: Math.min(96, Math.max(12, s.octave + (code === "KeyZ" ? -12 : 12))) });
    return true;
  }
  const place = places[code];
  if (place === undefined) return false;
  if (!held.has(code)) {
    held.set(code, s.octave + place);
    noteOn(s.octave + place, lettersVelocity);
  }
  return true;
}

/** letters lets the computer's keys play, or do what they usually do. */
export function letters(on: boolean) {
  for (const key of held.values()) noteOff(key);
  held.clear();
  sounding.setState({ letters: on });
}

// ---- MIDI keyboards ----

let access: MIDIAccess | null = null;

/** hearKeyboards plays what MIDI keyboards play, or stops that. */
export async function hearKeyboards(on: boolean) {
  for (const input of access?.inputs.values() ?? []) input.onmidimessage = null;
  access = null;
  sounding.setState({ midi: null });
  if (!on) return;
  try {
    access = await navigator.requestMIDIAccess();
  } catch {
    tell(words.sounding.theBrowserDoesNotAllow, "refused");
    return;
  }
  const names = [...access.inputs.values()].map((i) => i.name ?? words.sounding.aKeyboard);
  if (names.length === 0) tell(words.sounding.noMidiKeyboardIsConnected, "refused");
  for (const input of access.inputs.values()) input.onmidimessage = (e) => e.data && played(e.data);
  sounding.setState({ midi: names });
}

/** played takes a message of a keyboard: notes, controllers, pressure, the pitch wheel. */
export function played([status, one = 0, two = 0]: Uint8Array | readonly number[]) {
  switch ((status ?? 0) & 0xf0) {
    case 0x90:
      if (two > 0) noteOn(one, two);
      else noteOff(one);
      break;
    case 0x80:
      noteOff(one);
      break;
    case 0xb0:
      control(one, two);
      break;
    case 0xd0:
      say({ press: one });
      break;
    case 0xe0:
      say({ bend: one + 128 * two - 8192 });
      break;
  }
}
