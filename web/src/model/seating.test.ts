import { describe, expect, it } from "vitest";
import { byWeight, withOrder } from "./seating";

const usual = { unseated: 1e8, moved: 1e5, risers: 1e4, wishes: 1e3, pairs: 10, uneven: 1 };

describe("what a plan keeps small", () => {
  it("goes by weight", () => {
    expect(byWeight(usual)).toEqual(["unseated", "moved", "risers", "wishes", "pairs", "uneven"]);
    expect(byWeight({ ...usual, uneven: 5e4 })).toEqual(["unseated", "moved", "uneven", "risers", "wishes", "pairs"]);
  });

  it("takes the weights over to another order, and back", () => {
    const up = withOrder(usual, "wishes", 1);
    expect(byWeight(up)).toEqual(["unseated", "wishes", "moved", "risers", "pairs", "uneven"]);
    expect(up).toEqual({ unseated: 1e8, wishes: 1e5, moved: 1e4, risers: 1e3, pairs: 10, uneven: 1 });
    expect(withOrder(up, "wishes", 3)).toEqual(usual);
    expect(withOrder(usual, "uneven", 99)).toEqual(usual);
    expect(byWeight(withOrder(usual, "uneven", -1))[0]).toBe("uneven");
  });
});
