import { expect, it } from "vitest";
import { type Field, widths } from "./fields";

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
