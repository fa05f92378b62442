import { expect, test } from "vitest";
import type { Schemas } from "../../model/api";
import { alone, has, installed } from "./installed";

const library = (id: string, machines?: string[]) => ({ id, name: id, code: id, machines }) as Schemas["Library"];
const cat = {
  libraries: [library("winds", ["Alder", "Cedar"]), library("brass"), library("keys", ["Birch"])],
  rig: ["Alder", "Birch", "Cedar"].map((name) => ({ id: name, name }) as Schemas["Machine"]),
};
const [winds, brass, keys] = cat.libraries as [Schemas["Library"], Schemas["Library"], Schemas["Library"]];

test("a library that names no machine is everywhere", () => {
  expect([winds, brass, keys].map((l) => has(l, "cedar"))).toEqual([true, true, false]);
  expect([winds, brass, keys].map((l) => alone(cat, l, "Birch"))).toEqual([false, false, true]);
});

test("libraries come to a machine and leave it, and only those that do are set", () => {
  const now = (moved: Record<string, boolean>, name = "Cedar") =>
    installed(cat, "Cedar", name, moved).map((e) => [e.value.id, e.value.machines]);
  expect(now({})).toEqual([]);
  expect(now({ winds: true, keys: false })).toEqual([]);
  expect(now({ winds: false, brass: false, keys: true })).toEqual([
    ["winds", ["Alder"]],
    ["brass", ["Alder", "Birch"]],
    ["keys", ["Birch", "Cedar"]],
  ]);
  expect(now({ brass: false, keys: true }, "Rowan")).toEqual([
    ["brass", ["Alder", "Birch"]],
    ["keys", ["Birch", "Rowan"]],
  ]);
});
