import { describe, expect, it } from "vitest";
import { handed } from "./casting";

describe("choosing by hand", () => {
  it("adds a part, changes it, leaves it out, and lets it be matched again", () => {
    const one = handed({}, "flute", ["a"]);
    expect(one).toEqual({ flute: ["a"] });
    expect(handed(one, "horn", [])).toEqual({ flute: ["a"], horn: [] });
    expect(handed(one, "flute", ["b"])).toEqual({ flute: ["b"] });
    expect(handed(one, "flute", null)).toEqual({});
    expect(one).toEqual({ flute: ["a"] });
  });
});
