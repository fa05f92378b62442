import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { type KeyboardEvent, useEffect, useMemo, useState } from "react";
import { leaves } from "../leaves";
import { command, type Found } from "../leaves/leaf";
import type { Id, Schemas } from "../model/api";
import { useCatalogue } from "../model/catalogue";
import { call, redo, undo } from "../model/changing";
import {
  asked,
  firstRows,
  meant,
  readAhead,
  rowsToFind,
  type Text,
  textKnown,
  used,
  uses,
  type Way,
  waysToFind,
} from "../model/find";
import { within } from "../model/score";
import { explain, get, select, set, show, unfold, useApp } from "../model/store";
import { type Sheet, things } from "../model/template";
import { words } from "./words";

const say = words.finder;

type Term = Schemas["Term"];

const most = 20;

const noTerms: readonly Term[] = [];

/** ReadAhead makes the finder quick before it is opened. It shows nothing. */
export function ReadAhead() {
  const sheet = useApp((s) => s.sheet);
  const terms = useCatalogue()?.vocabulary;
  useEffect(
    () => (sheet && terms ? readAhead(sheet, terms) : undefined),
    [sheet?.instruments, sheet?.facts, sheet?.sections, terms],
  );
  return null;
}

/** Finder finds instruments, articulations, sections, stems, machines, calls and
 * commands, those chosen often before the rest. What it finds can be called, rested
 * and traced at once. */
export function Finder({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [question, setQuestion] = useState("");
  const [at, setAt] = useState("");
  const [counts] = useState(uses);
  const cat = useCatalogue();
  const terms = cat?.vocabulary ?? noTerms;
  const rows = useMemo(() => rowsToFind(sheet, terms), [sheet, terms]);
  const found = useMemo(() => find(sheet, rows, terms, question, counts), [sheet, rows, terms, question, counts]);
  const act = (e: KeyboardEvent) => {
    const here = found.find((f) => f.key === at);
    if (e.key !== "Enter" || !here?.rows || !(e.ctrlKey || e.metaKey || e.shiftKey || e.altKey)) return;
    e.preventDefault();
    e.stopPropagation();
    used(here.key);
    if (e.altKey) {
      close();
      select(here.rows, here.rows[0]!);
      show("routing");
      return;
    }
    if (!(e.ctrlKey || e.metaKey)) {
      select([...get().selection, ...here.rows], here.rows.at(-1)!);
      setQuestion("");
      return;
    }
    close();
    void call(here.rows, e.shiftKey ? "rest" : "call");
  };
  return (
    <Dialog.Root open onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-shade" />
        <Dialog.Content
          aria-describedby={undefined}
          className="floating -translate-x-1/2 fixed top-[7vh] left-1/2 w-[560px] max-w-[94vw]"
        >
          <Dialog.Title className="sr-only">{say.findAnything}</Dialog.Title>
          <Command
            shouldFilter={false}
            label={say.findAnything}
            loop
            value={at}
            onValueChange={setAt}
            onKeyDownCapture={act}
          >
            <Command.Input
              value={question}
              onValueChange={setQuestion}
              autoFocus
              placeholder={say.spicVlnOboeLongLow}
              className="h-11 w-full border-line border-b bg-transparent px-3 text-[15px] outline-none"
            />
            <Command.List className="max-h-[54vh] overflow-y-auto p-1">
              <Command.Empty className="px-3 py-4 text-soft">{say.nothingHasThatName}</Command.Empty>
              {found.map((f) => (
                <Command.Item
                  key={f.key}
                  value={f.key}
                  className="menu-item"
                  onSelect={() => {
                    close();
                    used(f.key);
                    f.run();
                  }}
                >
                  <span className="min-w-0 truncate">{f.text}</span>
                  <span className="shrink-0 text-soft">{f.note || f.kind}</span>
                </Command.Item>
              ))}
            </Command.List>
            <p className="border-line border-t px-3 py-1.5 text-[12px] text-soft">{say.enterGoesThereCtrlEnter}</p>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

type Rows = ReturnType<typeof rowsToFind>;

function find(
  sheet: Sheet,
  rows: Rows,
  terms: readonly Term[],
  question: string,
  counts: Record<string, number>,
): Found[] {
  const asks = asked(question);
  const them = question ? instruments(firstRows(rows, question, most, counts), terms, question) : [];
  const found = [
    ...them.slice(0, mostNamed),
    ...(question ? named(sheet, terms, asks, counts) : []),
    ...them.slice(mostNamed),
    ...(question ? places(sheet, asks) : []),
    ...doings(sheet).filter((f) => asks(textKnown(f.text, f.note, f.kind))),
  ];
  return found
    .map((f, n) => ({ f, n, uses: counts[f.key] ?? 0 }))
    .sort((a, b) => b.uses - a.uses || a.n - b.n)
    .slice(0, most)
    .map((x) => x.f);
}

/** How many instruments stand before articulations and sections, and how many of
 * each of these. */
const mostNamed = 3;

/** named are the articulations and sections of that name, with all their rows. */
function named(
  sheet: Sheet,
  terms: readonly Term[],
  asks: (text: string) => boolean,
  counts: Record<string, number>,
): Found[] {
  const all = (key: string, kind: string, text: string, ids: () => Id[], count?: number): Found => ({
    key,
    kind,
    text,
    note: count === undefined ? kind : `${kind}, ${say.rows(count)}`,
    get rows() {
      return ids();
    },
    run: () => {
      const list = ids();
      select(list, list[0] ?? null);
      show("orchestra");
    },
  });
  const ways = first(
    waysToFind(sheet.instruments, terms),
    (w: Way) => asks(w.text),
    (w) => counts[`way ${w.name}`],
  );
  const sections = first(
    things(sheet.sections),
    (s) => asks(textKnown(s.name, say.section)),
    (s) => counts[s.id],
  );
  return [
    ...ways.map((w) => all(`way ${w.name}`, say.articulation, w.name, () => w.rows, w.rows.length)),
    ...sections.map((s) => all(s.id, say.section, s.name, () => within(sheet, s.id))),
  ];
}

/** first are the first that fit, and those that were chosen before. */
function first<T>(list: readonly T[], fits: (x: T) => boolean, uses: (x: T) => number | undefined): T[] {
  const out: T[] = [];
  for (const x of list) if ((out.length < mostNamed || uses(x)) && fits(x)) out.push(x);
  return out;
}

/** instruments are rows, with the articulations that were asked for. */
const instruments = (rows: Rows, terms: readonly Term[], question: string): Found[] =>
  rows.map((r) => ({
    key: r.row.id,
    kind: say.instrument,
    text: r.row.name,
    note: [...meant(r, terms, question).slice(0, 2), r.path].join(" · "),
    rows: [r.row.id],
    run: () => {
      select([r.row.id], r.row.id);
      show("orchestra");
    },
  }));

/** places are what a person goes to. */
const places = (sheet: Sheet, asks: (text: Text) => boolean): Found[] =>
  leaves.flatMap((l) => l.places?.(sheet, (...parts) => asks(textKnown(...parts))) ?? []);

/** doings are calls and commands. */
const doings = (sheet: Sheet): Found[] => [
  ...leaves.map((l) => command(say.unfold(l.title), "", () => unfold(l.name, false))),
  ...leaves.flatMap((l) => l.doings?.(sheet) ?? []),
  command(say.historyAndVersions, "", () => set({ dialog: "history" })),
  command(say.membersOfTheStudio, "", () => set({ dialog: "members" })),
  command(say.linksForPeopleOutsideShare, "", () => set({ dialog: "links" })),
  command(say.yourAccountPasswordPasskeysWhere, "", () => set({ dialog: "account" })),
  command(say.readASessionBack, "", () => set({ dialog: "drift" })),
  command(say.compareWithAVersion, "", () => set({ dialog: "compare-templates" })),
  command(say.undo, "Ctrl Z", () => void undo()),
  command(say.redo, "Ctrl Shift Z", () => void redo()),
  command(say.marksAndRemedies, ".", () => set({ dialog: "marks" })),
  command(say.allTemplatesOpenDeleteBring, "", () => set({ dialog: "templates" })),
  command(say.newTemplate, "", () => set({ dialog: "new" })),
  command(say.makeItReadyToPlay, "", () => set({ dialog: "ready" })),
  command(say.nameAndSettings, "", () => set({ dialog: "settings" })),
  ...leaves.map((l) => command(say.guide(l.title), "F1", () => explain(l.name))),
  command(say.guideEveryMarkExplained, "", () => explain("marks")),
  command(say.keys, "?", () => set({ dialog: "keys" })),
];
