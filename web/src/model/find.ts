import type { Instrument, Schemas } from "./api";
import { libraryOf, pathOf, type Sheet, things } from "./template";

type Term = Schemas["Term"];

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
  name: Text;
  text: Text; // with all that is around it
}

const mostKnown = 50_000;
const known = new Map<string, { from: string; name: Text; text: Text }>(); // of rows, by their IDs
const knownAround = new Map<string, Text>();

/** rowsToFind are the rows of a sheet in score order, by name, section,
 * articulations with their other words, library and stems; what did not change
 * is taken over from before. */
export function rowsToFind(sheet: Sheet, terms: readonly Term[]): Row[] {
  if (known.size > mostKnown) known.clear();
  if (knownAround.size > mostKnown) knownAround.clear();
  const paths = new Map(sheet.sections.order.map((id) => [id, pathOf(sheet, id)]));
  const other = otherWords(terms);
  return things(sheet.instruments).map((i) => {
    const path = paths.get(i.section) ?? "";
    const stems = (sheet.facts.get(i.id)?.stems ?? []).map((id) => sheet.buses.byId.get(id)?.name ?? "");
    const ways = i.articulations.map((a) => `${a} ${other.get(a.toLowerCase()) ?? ""}`);
    const around = [path, ...ways, libraryOf(sheet, i)?.name ?? "", ...stems].join(" ");
    const from = [i.name, i.short ?? "", around].join("|");
    let k = known.get(i.id);
    if (k?.from !== from) {
      const name = textOf(i.name, i.short ?? "");
      k = { from, name, text: name + aroundText(around) };
      known.set(i.id, k);
    }
    return { row: i, path, name: k!.name, text: k!.text };
  });
}

/** aroundText is what many rows of a section have in common, made once. */
function aroundText(around: string): Text {
  const text = knownAround.get(around) ?? textOf("", around);
  knownAround.set(around, text);
  return text;
}

/** otherWords are what an articulation is called besides, by each of its names. */
function otherWords(terms: readonly Term[]): Map<string, string> {
  const out = new Map<string, string>();
  for (const t of terms) {
    const all = [t.name, t.short, ...t.synonyms];
    for (const name of all) out.set(name.toLowerCase(), [...all, t.family].join(" "));
  }
  return out;
}

/** firstRows are the first that a question asks for: those that do so by name,
 * then the others; and any that has been chosen before. */
export function firstRows(
  rows: readonly Row[],
  asks: (text: Text) => boolean,
  most: number,
  counts: Record<string, number>,
): Row[] {
  const byName: Row[] = [];
  const others: Row[] = [];
  for (const r of rows) {
    if (byName.length >= most && !counts[r.row.id]) continue;
    if (asks(r.name)) byName.push(r);
    else if ((others.length < most || counts[r.row.id]) && asks(r.text)) others.push(r);
  }
  return [...byName, ...others];
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
