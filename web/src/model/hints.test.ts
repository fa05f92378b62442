import { expect, it } from "vitest";
import { every, hintFor, type Now, short } from "./hints";

const row = (id: string, name: string, seat?: object) => ({ id, name, kind: "sampled", ...(seat ? { seat } : {}) });

function now(rows: ReturnType<typeof row>[], more: Partial<Now> = {}): Now {
  const instruments = { order: rows.map((r) => r.id), byId: new Map(rows.map((r) => [r.id, r])) };
  return {
    sheet: { instruments, marks: 2 } as unknown as Now["sheet"],
    states: new Map(),
    selection: new Set(),
    open: ["orchestra", "routing"],
    ...more,
  };
}

it("speaks of what is here, one hint after the other", () => {
  const here = now([row("a", "Piccolo long"), row("b", "Violins 1 long", {})], { selection: new Set(["b"]) });
  const closed: string[] = [];
  const said: string[] = [];
  for (let h = hintFor(here, closed); h; h = hintFor(here, closed)) {
    said.push(h.text);
    closed.push(h.id);
  }
  expect(said).toEqual([
    "1 row cannot load: they have no seat yet.",
    "Select Piccolo long and press C: it loads. X rests it.",
    "The line below is the whole way of Violins 1 long. Each word leads to its leaf.",
    "A right click on Piccolo long has everything that can be done with it.",
    "Ctrl K finds anything: Violins 1 long by “vio lon”.",
    "2 marks to look at, each with remedies: press the full stop.",
    "F1 explains the leaf that you are in; ? lists all keys.",
  ]);
  expect(closed).not.toContain("beside");
});

it("says nothing of rows where there are none", () => {
  expect(hintFor(now([], { open: ["orchestra"] }), [])?.id).toBe("beside");
  expect(hintFor(now([]), [every])).toBeNull();
});

it("finds a name by little of it", () => {
  expect(short("Violins 1 long")).toBe("vio lon");
  expect(short("A 3")).toBe("");
});
