import Timecode from "smpte-timecode";
import { expect, it } from "vitest";
import { clock, type FrameRate, frameOf, timecode } from "./timecode";

const drop: FrameRate = { num: 30000, den: 1001, drop: true };
const film: FrameRate = { num: 24, den: 1, drop: false };

// Another program, npm smpte-timecode 1.3.6, over samples of a day: the same frames, and the same
// timecodes, at drop-frame and other rates.
it("counts as another program does", () => {
  for (const [rate, name, isDrop] of [
    [drop, 29.97, true],
    [{ num: 30000, den: 1001, drop: false }, 29.97, false],
    [{ num: 60000, den: 1001, drop: true }, 59.94, true],
    [{ num: 24000, den: 1001, drop: false }, 23.976, false],
    [{ num: 25, den: 1, drop: false }, 25, false],
  ] as const) {
    for (let frame = 0; frame < 2_073_000; frame += 7919) {
      const other = Timecode(frame, name, isDrop).toString();
      expect(timecode(rate, frame)).toBe(other);
      expect(frameOf(rate, other)).toBe(frame);
    }
  }
});

it("knows the published counts and refuses what is none", () => {
  expect(frameOf(drop, "00:01:00;02")).toBe(1800);
  expect(frameOf(drop, "00:10:00;00")).toBe(17_982);
  expect(frameOf(drop, "01:00:00;00")).toBe(107_892);
  for (const text of ["00:01:00;00", "00:01:00;01", "24:00:00;00", "00:00:00;30", "soon", ""])
    expect(frameOf(drop, text)).toBe(null);
  expect(frameOf(film, "00:00:00:24")).toBe(null);
  expect(timecode(film, 86_400)).toBe("01:00:00:00");
  expect(clock(89.6)).toBe("1:30");
  expect(clock(3723)).toBe("1:02:03");
});
