import { readFileSync } from "node:fs";
import { expect, it } from "vitest";
import type { Switch } from "../../model/catalogue";
import { learned, read, writtenAll } from "./switches";

const all: Switch[] = [
  { kind: "key", number: 24 },
  { kind: "key", number: 25, hold: true },
  { kind: "controller", number: 32, low: 0, high: 20 },
  { kind: "programme", number: 7, bank: 129 },
  { kind: "programme", number: 7 },
  { kind: "channel", number: 3 },
  { kind: "channel", number: 2, relative: true },
  { kind: "channel", number: -2, relative: true },
  { kind: "channel", number: 0, relative: true },
  { kind: "velocity", low: 65, high: 127 },
];

it("reads every switch it writes, whatever middle C is called", () => {
  for (const middleC of [3, 4, 5]) expect(read(writtenAll(all, middleC), middleC)).toEqual(all);
});

// The server's tests hold the same table.
const table = JSON.parse(
  readFileSync(new URL("../../../../internal/core/articulation/testdata/switches.json", import.meta.url), "utf8"),
) as { read: { text: string; is: Switch }[]; refused: string[] };

it("reads switches as the server does", () => {
  for (const { text, is } of table.read) expect(read(text, 4), text).toEqual([is]);
  for (const text of table.refused) expect(read(text, 4), text).toEqual({ wrong: text });
});

it("reads several, or none, and names the part it cannot read", () => {
  expect(read("controller 1 64, velocity 1 to 60", 4)).toHaveLength(2);
  expect(read("", 4)).toEqual([]);
  expect(read("key C1, pedal 3", 4)).toEqual({ wrong: "pedal 3" });
});

// Status bytes as in MIDI 1.0.
it("learns from a keyboard", () => {
  expect(learned([0x93, 24, 100])).toEqual({ kind: "key", number: 24 });
  expect(learned([0x93, 24, 0])).toBeNull();
  expect(learned([0xb0, 32, 17])).toEqual({ kind: "controller", number: 32, low: 17, high: 17 });
  expect(learned([0xc5, 9])).toEqual({ kind: "programme", number: 9 });
  expect(learned([0xf8])).toBeNull();
});
