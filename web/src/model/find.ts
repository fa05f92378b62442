import type { Id, Instrument, Schemas } from "./api";
import { type List, librariesOf, pathOf, type Sheet, things } from "./template";

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

/** asked tests whether every word of a question begins one of a
 * text's words: "spic vln" finds "Violins 1 spiccato". */
export function asked(question: string): (text: Text) => boolean {
  const words = wordsOf(question).map((w) => ` ${w}`);
  return (text) => words.every((w) => text.includes(w));
}

const mostKnown = 50_000;
const knownTexts = new Map<string, Text>();

/** textKnown is textOf, remembered: for what is asked at every letter. */
export function textKnown(...parts: string[]): Text {
  const key = parts.join("|");
  const text = knownTexts.get(key) ?? textOf(...parts);
  if (knownTexts.size > mostKnown) knownTexts.clear();
  knownTexts.set(key, text);
  return text;
}

interface Row {
  row: Instrument;
  path: string;
  name: Text;
  around: Text; // its section, articulations, library and stems; of many rows it is one
}

interface Known extends Row {
  stems: readonly string[] | undefined;
  library: string;
  other: ReadonlyMap<string, string>;
}

const known = new Map<string, Known>(); // rows, by their IDs
const knownAround = new Map<string, Text>();

/** reader makes a row of a sheet ready to be found; what did not change is taken
 * over from before. */
function reader(sheet: Sheet, terms: readonly Term[]): (row: Instrument) => Row {
  if (known.size > mostKnown) known.clear();
  if (knownAround.size > mostKnown) knownAround.clear();
  const paths = new Map(sheet.sections.order.map((id) => [id, pathOf(sheet, id)]));
  const other = otherWords(terms);
  return (row) => {
    const path = paths.get(row.section) ?? "";
    const stems = sheet.facts.get(row.id)?.stems;
    const library = librariesOf(sheet, row)
      .map((l) => l.name)
      .join(" ");
    const k = known.get(row.id);
    if (k && k.path === path && k.stems === stems && k.library === library && k.other === other && alike(k.row, row)) {
      if (k.row !== row) known.set(row.id, { ...k, row });
      return known.get(row.id)!;
    }
    const ways = row.articulations.map((a) => `${a} ${other.get(a.toLowerCase()) ?? ""}`);
    const names = (stems ?? []).map((id) => sheet.buses.byId.get(id)?.name ?? "");
    const name = textOf(row.name, row.short ?? "");
    const around = aroundText([path, ...ways, library, ...names].join(" "));
    const next = { row, path, name, around, stems, library, other };
    known.set(row.id, next);
    return next;
  };
}

/** alike tells whether two versions of a row are found by the same words. */
const alike = (a: Instrument, b: Instrument) =>
  a === b || (a.name === b.name && a.short === b.short && a.articulations === b.articulations);

/** rowsToFind are the rows of a sheet in score order, by name, section,
 * articulations with their other words, library and stems. */
export const rowsToFind = (sheet: Sheet, terms: readonly Term[]): Row[] => found(sheet).map(reader(sheet, terms));

/** found are the rows that are found: a divider is a line. */
const found = (sheet: Sheet) => things(sheet.instruments).filter((i) => i.kind !== "divider");

/** readAhead makes rows ready to be found while nobody does anything, so that the
 * first letter waits for nothing. It returns what stops it. */
export function readAhead(sheet: Sheet, terms: readonly Term[]): () => void {
  if (typeof requestIdleCallback !== "function") return () => undefined;
  const rows = found(sheet);
  const read = reader(sheet, terms);
  let n = 0;
  const go = (idle: IdleDeadline) => {
    while (n < rows.length && idle.timeRemaining() > 2) read(rows[n++]!);
    if (n < rows.length) waiting = requestIdleCallback(go);
    else {
      waysToFind(sheet.instruments, terms);
      firstRows(rows.map(read), "a b", 1, {}); // what has run before is quick
    }
  };
  let waiting = requestIdleCallback(go);
  return () => cancelIdleCallback(waiting);
}

/** aroundText is what many rows of a section have in common, made once. */
function aroundText(around: string): Text {
  const text = knownAround.get(around) ?? textOf("", around);
  knownAround.set(around, text);
  return text;
}

const knownWords = new WeakMap<readonly Term[], ReadonlyMap<string, string>>();

/** otherWords are the other names of an articulation, by each of its names. */
function otherWords(terms: readonly Term[]): ReadonlyMap<string, string> {
  const before = knownWords.get(terms);
  if (before) return before;
  const out = new Map<string, string>();
  for (const t of terms) {
    const all = [t.name, t.short, ...t.synonyms];
    for (const name of all) out.set(name.toLowerCase(), [...all, t.family].join(" "));
  }
  knownWords.set(terms, out);
  return out;
}

/** Way is an articulation that rows offer. */
export interface Way {
  name: string;
  text: Text; // with its other words
  rows: Id[];
}

const knownWays = new WeakMap<List<Instrument>, { terms: readonly Term[]; ways: Way[] }>();

/** waysToFind are the articulations that rows offer, by name, with the rows that
 * do. */
export function waysToFind(rows: List<Instrument>, terms: readonly Term[]): Way[] {
  const before = knownWays.get(rows);
  if (before?.terms === terms) return before.ways;
  const other = otherWords(terms);
  const out = new Map<string, Way>();
  for (const row of rows.byId.values())
    for (const name of row.articulations) {
      let way = out.get(name);
      if (!way) {
        way = { name, text: textOf(name, other.get(name.toLowerCase()) ?? "", "articulation"), rows: [] };
        out.set(name, way);
      }
      way.rows.push(row.id);
    }
  const ways = [...out.values()];
  knownWays.set(rows, { terms, ways });
  return ways;
}

/** meant are the articulations of a row that a question speaks of and its name does
 * not: "vlns pizz" means the pizzicato of the violins. */
export function meant({ row, name }: Row, terms: readonly Term[], question: string): string[] {
  const words = wordsOf(question).filter((w) => !name.includes(` ${w}`));
  if (words.length === 0) return [];
  const other = otherWords(terms);
  return row.articulations.filter((a) => {
    const text = textOf(a, other.get(a.toLowerCase()) ?? "");
    return words.some((w) => text.includes(` ${w}`));
  });
}

/** firstRows are the first that a question asks for: those that do so by name,
 * then the others; and any that has been chosen before. What is around a row is
 * looked at once for all that share it. */
export function firstRows(rows: readonly Row[], question: string, most: number, counts: Record<string, number>): Row[] {
  const words = wordsOf(question)
    .slice(0, mostWords)
    .map((w) => ` ${w}`);
  const all = (1 << words.length) - 1; // a bit for each word
  const has = (text: Text) => words.reduce((bits, w, n) => (text.includes(w) ? bits | (1 << n) : bits), 0);
  const around = new Map<Text, number>();
  const byName: Row[] = [];
  const others: Row[] = [];
  for (const r of rows) {
    if (byName.length >= most && !counts[r.row.id]) continue;
    const named = has(r.name);
    if (named === all) byName.push(r);
    if (named === all || (others.length >= most && !counts[r.row.id])) continue;
    let beside = around.get(r.around);
    if (beside === undefined) {
      beside = has(r.around);
      around.set(r.around, beside);
    }
    if ((named | beside) === all) others.push(r);
  }
  return [...byName, ...others];
}

/** How many words of a question are looked at. */
const mostWords = 30;

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
