import { expect, it } from "vitest";
import { isBlack, keyName, keyOf } from "./keys";

it("names middle C as the studio does, and keeps the number", () => {
  expect(keyName(60, 4)).toBe("C4");
  expect(keyName(60, 3)).toBe("C3");
  expect(keyName(21, 4)).toBe("A0"); // the lowest key of a piano, in scientific pitch
  expect(keyName(0, 3)).toBe("C-2");
});

it("reads what it names, in every convention", () => {
  for (const middleC of [3, 4, 5])
    for (let key = 0; key < 128; key++) expect(keyOf(keyName(key, middleC), middleC)).toBe(key);
});

it("reads other spellings and refuses the rest", () => {
  expect(keyOf("f#2", 4)).toBe(42);
  expect(keyOf("Db4", 4)).toBe(61);
  expect(keyOf(" 96 ", 4)).toBe(96);
  for (const wrong of ["128", "H4", "C", "C20", "", "c 4"]) expect(keyOf(wrong, 4)).toBeNull();
});

it("knows the five black keys of an octave", () => {
  expect(Array.from({ length: 12 }, (_, k) => k).filter(isBlack)).toEqual([1, 3, 6, 8, 10]);
});
