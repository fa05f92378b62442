import { expect, it } from "vitest";
import { type Field, fitting, widths } from "./fields";

const field = (least: number, share?: number) => ({ least, share }) as Field;

it("shares what is left of the width, by share", () => {
  expect(widths([field(50), field(10, 1), field(10, 3)], 450)).toEqual([50, 100, 300]);
});

it("gives each column its least, and the others what is left then", () => {
  expect(widths([field(50), field(150, 1), field(10, 3), field(10, 1)], 450)).toEqual([50, 150, 187, 62]);
});

it("keeps the least of all when there is no room", () => {
  expect(widths([field(50), field(100, 1), field(90, 2)], 100)).toEqual([50, 100, 90]);
});

it("leaves out columns that give their room, the lowest first, and no others", () => {
  const sheet = [field(120), { ...field(52), gives: 1 }, field(90), { ...field(50), gives: 2 }];
  const left = (width: number) => fitting(sheet, width).map((f) => f.least);
  expect(left(312)).toEqual([120, 52, 90, 50]);
  expect(left(311)).toEqual([120, 90, 50]);
  expect(left(259)).toEqual([120, 90]);
  expect(left(50)).toEqual([120, 90]);
});
