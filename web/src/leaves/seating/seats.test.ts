import { describe, expect, it } from "vitest";
import { range, unfolded } from "./seats";

describe("risers", () => {
  it("folds those on which nobody sits", () => {
    expect(unfolded(4, new Set([1, 3]), false)).toEqual({ shown: [1, 3], empty: [2, 4] });
    expect(unfolded(4, new Set([1, 3]), true)).toEqual({ shown: [1, 2, 3, 4], empty: [2, 4] });
  });

  it("shows the first where nobody sits anywhere", () => {
    expect(unfolded(3, new Set(), false)).toEqual({ shown: [1], empty: [2, 3] });
    expect(unfolded(0, new Set(), false)).toEqual({ shown: [], empty: [] });
  });

  it("names them shortly", () => {
    expect(range([4])).toBe("Riser 4 is");
    expect(range([2, 3, 5, 6, 7, 9])).toBe("Risers 2 and 3, 5 to 7, 9 are");
  });
});
