const letters = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];
const steps: Record<string, number> = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 };

/** keyName names a MIDI note, with key 60 as C of the octave middleC. */
export function keyName(key: number, middleC: number): string {
  return `${letters[((key % 12) + 12) % 12]}${Math.floor(key / 12) - 5 + middleC}`;
}

/** keyOf reads a number or a name; null when it is neither, or outside MIDI. */
export function keyOf(text: string, middleC: number): number | null {
  const number = /^\d{1,3}$/.test(text.trim()) ? Number(text) : null;
  if (number !== null) return number <= 127 ? number : null;
  const m = /^([A-G])([#♯b♭]*)(-?\d{1,2})$/i.exec(text.trim());
  if (!m) return null;
  const alter = [...m[2]!].reduce((n, c) => n + (c === "#" || c === "♯" ? 1 : -1), 0);
  const key = 60 + 12 * (Number(m[3]) - middleC) + steps[m[1]!.toUpperCase()]! + alter;
  return key >= 0 && key <= 127 ? key : null;
}

const black = new Set([1, 3, 6, 8, 10]);

export const isBlack = (key: number) => black.has(key % 12);
