import type { Instrument } from "./api";
import { libraryOf, pathOf, type Sheet, things } from "./template";

/** Text is what can be found by its words: small letters, a space before each
 * word, the same without vowels, and the first letters of words in a row. */
export type Text = string;

const wordsOf = (text: string) => text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];

/** textOf makes text to be found. The first letters are those of the first part:
 * "bd" is the bass drum, whatever its articulations are. */
export function textOf(...parts: string[]): Text {
  const words = parts.flatMap(wordsOf);
  const skeletons = words.map((w) => w[0] + w.slice(1).replace(/[aeiou]/g, ""));
  const letters = wordsOf(parts[0] ?? "").map((w) => w[0]!);
  const firsts = letters.slice(1).map((_, n) => letters.slice(n).join("")); // from each word on
  return ` ${[...words, ...skeletons, ...firsts].join(" ")}`;
}

/** asked is what tells of a text whether every word of a question begins one of
 * its words: "spic vln" finds "Violins 1 spiccato". */
export function asked(question: string): (text: Text) => boolean {
  const words = wordsOf(question).map((w) => ` ${w}`);
  return (text) => words.every((w) => text.includes(w));
}

interface Row {
  row: Instrument;
  path: string;
  text: Text;
}

const known = new WeakMap<Instrument, { path: string; library: string; row: Row }>();

/** rowsToFind are the rows of a sheet in score order, what did not change taken
 * over from before. */
export function rowsToFind(sheet: Sheet): Row[] {
  const paths = new Map(sheet.sections.order.map((id) => [id, pathOf(sheet, id)]));
  const out: Row[] = [];
  for (const i of things(sheet.instruments)) {
    const path = paths.get(i.section) ?? "";
    const library = libraryOf(sheet, i)?.name ?? "";
    let k = known.get(i);
    if (!k || k.path !== path || k.library !== library) {
      const row = { row: i, path, text: textOf(i.name, i.short ?? "", path, ...i.articulations, library) };
      k = { path, library, row };
      known.set(i, k);
    }
    out.push(k.row);
  }
  return out;
}

const usesKey = "fanfold.found";

/** uses is how often each thing was chosen in the finder of this browser. */
export function uses(): Record<string, number> {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(usesKey) ?? "{}");
    return kept && typeof kept === "object" ? (kept as Record<string, number>) : {};
  } catch {
    return {};
  }
}

const mostUses = 200;

/** used counts one more use; the least used are forgotten when there are many. */
export function used(key: string) {
  const counts = uses();
  counts[key] = (counts[key] ?? 0) + 1;
  const kept = Object.entries(counts).sort((a, b) => b[1] - a[1] || (a[0] === key ? -1 : 1));
  localStorage.setItem(usesKey, JSON.stringify(Object.fromEntries(kept.slice(0, mostUses))));
}
