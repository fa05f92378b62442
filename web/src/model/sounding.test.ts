import { beforeEach, describe, expect, it, vi } from "vitest";

vi.mock("../sound/worklet.js?url", () => ({ default: "worklet" }));

const { lettered, letters, played, sounding } = await import("./sounding");

beforeEach(() => {
  letters(false);
  sounding.setState({ pressed: new Set(), octave: 48, dynamics: 90, pedal: false });
});

describe("the computer's keys", () => {
  it("play only when they are asked to", () => {
    expect(lettered("KeyA", true)).toBe(false);
    letters(true);
    expect(lettered("KeyA", true)).toBe(true);
    expect([...sounding.getState().pressed]).toEqual([48]);
    expect(lettered("KeyQ", true)).toBe(false);
  });

  it("lie as on a piano, one octave and a third, and are let go one by one", () => {
    letters(true);
    for (const code of ["KeyA", "KeyW", "KeyK", "Semicolon"]) lettered(code, true);
    lettered("KeyA", true); // held keys repeat
    expect([...sounding.getState().pressed]).toEqual([48, 49, 60, 64]);
    lettered("KeyW", false);
    expect([...sounding.getState().pressed]).toEqual([48, 60, 64]);
  });

  it("move by octaves, and a key that is down keeps its note", () => {
    letters(true);
    lettered("KeyA", true);
    lettered("KeyX", true);
    expect(sounding.getState().octave).toBe(60);
    lettered("KeyA", false);
    expect(sounding.getState().pressed.size).toBe(0);
    for (let n = 0; n < 20; n++) lettered("KeyX", true);
    expect(sounding.getState().octave).toBe(96);
  });

  it("let everything go when they stop playing", () => {
    letters(true);
    lettered("KeyD", true);
    letters(false);
    expect(sounding.getState().pressed.size).toBe(0);
  });
});

describe("MIDI keyboards", () => {
  it("play notes, wheels and pedals on any channel", () => {
    played([0x93, 60, 100]);
    expect([...sounding.getState().pressed]).toEqual([60]);
    played([0x93, 60, 0]); // a note of no strength lets go
    expect(sounding.getState().pressed.size).toBe(0);
    played([0xb0, 1, 33]);
    expect(sounding.getState().dynamics).toBe(33);
    played([0xb5, 64, 127]);
    expect(sounding.getState().pedal).toBe(true);
    played([0xf8]);
    played([]);
  });
});
