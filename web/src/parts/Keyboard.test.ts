import { expect, it } from "vitest";
import { lanes } from "./Keyboard";

it("lets no two flags of one lane meet", () => {
  const flags = Array.from({ length: 40 }, (_, n) => ({
    from: (n * 37) % 100,
    to: ((n * 37) % 100) + 5 + ((n * 13) % 30),
  }));
  const lane = lanes(flags);
  flags.forEach((a, i) => {
    flags.forEach((b, j) => {
      if (i < j && lane[i] === lane[j]) expect(a.to < b.from || b.to < a.from).toBe(true);
    });
  });
});

it("keeps flags that stand apart in one lane", () => {
  expect(
    lanes([
      { from: 0, to: 5 },
      { from: 20, to: 30 },
      { from: 8, to: 12 },
    ]),
  ).toEqual([0, 0, 0]);
});
