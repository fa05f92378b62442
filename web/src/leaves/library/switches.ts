import type { Mapping, Patch, Switch } from "../../model/catalogue";
import { keyName, keyOf } from "../../model/keys";

/** Mapped is what a map belongs to: a patch, or an instrument with a map of
 * its own. */
export type Mapped = Pick<Patch, "name" | "map" | "keyLow" | "keyHigh" | "switchZone" | "sound" | "dynamics">;

/** written puts a switch as people write it: "key C1", "cc 32 0-20", "prog 7
 * bank 2", "chan +2", "vel 1-64". */
export function written(s: Switch, middleC: number): string {
  const band = `${s.low ?? 0}-${s.high ?? 0}`;
  switch (s.kind) {
    case "key":
      return `key ${keyName(s.number ?? 0, middleC)}${s.hold ? " held" : ""}`;
    case "controller":
      return `cc ${s.number ?? 0} ${band}`;
    case "programme":
      return `prog ${s.number ?? 0}${s.bank === undefined ? "" : ` bank ${s.bank}`}`;
    case "channel":
      return `chan ${s.relative && (s.number ?? 0) >= 0 ? "+" : ""}${s.number ?? 0}`;
    case "velocity":
      return `vel ${band}`;
  }
}

export const writtenAll = (list: readonly Switch[], middleC: number) => list.map((s) => written(s, middleC)).join(", ");

const forms: [RegExp, (m: RegExpExecArray, middleC: number) => Switch | null][] = [
  [
    /^key\s+(\S+?)(\s+held)?$/i,
    (m, middleC) => {
      const number = keyOf(m[1]!, middleC);
      return number === null ? null : { kind: "key", number, ...(m[2] ? { hold: true } : {}) };
    },
  ],
  [
    /^(?:cc|controller)\s+(\d+)\s+(\d+)(?:\s*(?:-|to)\s*(\d+))?$/i,
    (m) => ({ kind: "controller", number: Number(m[1]), low: Number(m[2]), high: Number(m[3] ?? m[2]) }),
  ],
  [
    /^(?:prog|programme|program)\s+(\d+)(?:\s+bank\s+(\d+))?$/i,
    (m) => ({ kind: "programme", number: Number(m[1]), ...(m[2] ? { bank: Number(m[2]) } : {}) }),
  ],
  [
    /^(?:chan|channel)\s+([+-]?)(\d+)$/i,
    (m) => ({ kind: "channel", number: Number(`${m[1]}${m[2]}`), ...(m[1] ? { relative: true } : {}) }),
  ],
  [
    /^(?:vel|velocity)\s+(\d+)(?:\s*(?:-|to)\s*(\d+))?$/i,
    (m) => ({ kind: "velocity", low: Number(m[1]), high: Number(m[2] ?? m[1]) }),
  ],
];

/** read reads what written wrote; the error says which part is not a switch. */
export function read(text: string, middleC: number): Switch[] | { wrong: string } {
  const out: Switch[] = [];
  for (const part of text.split(",").map((p) => p.trim())) {
    if (part === "") continue;
    const form = forms.map(([form, make]) => ({ m: form.exec(part), make })).find((f) => f.m);
    const made = form?.m ? form.make(form.m, middleC) : null;
    if (!made) return { wrong: part };
    out.push(made);
  }
  return out;
}

/** learned turns a MIDI message into a switch; null for one that selects nothing. */
export function learned(data: ArrayLike<number>): Switch | null {
  const [status = 0, a = 0, b = 0] = Array.from(data);
  switch (status & 0xf0) {
    case 0x90:
      return b > 0 ? { kind: "key", number: a } : null;
    case 0xb0:
      return a < 120 ? { kind: "controller", number: a, low: b, high: b } : null;
    case 0xc0:
      return { kind: "programme", number: a };
  }
  return null;
}

/** keysOf are the key switches of a map, for drawing. */
export function keysOf(map: readonly Mapping[]): { key: number; text: string; at: number }[] {
  return map.flatMap((m, at) =>
    m.switches.filter((s) => s.kind === "key").map((s) => ({ key: s.number ?? 0, text: m.articulation, at })),
  );
}

/** named calls a key by the studio's name for it. */
export const named = (message: string, middleC: number) =>
  message.replace(/^key (\d+)/, (_, key: string) => `key ${keyName(Number(key), middleC)}`);
