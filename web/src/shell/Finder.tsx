import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { type KeyboardEvent, useMemo, useState } from "react";
import type { Id } from "../model/api";
import { useCatalogue } from "../model/catalogue";
import { addRows, call, redo, seatEveryone, undo } from "../model/changing";
import { asked, firstRows, rowsToFind, textOf, used, uses } from "../model/find";
import { get, leafNames, select, set, show, unfold, useApp } from "../model/store";
import { plural, type Sheet, things } from "../model/template";
import { leafTitle } from "./FoldedSheet";

interface Found {
  key: string;
  kind: string;
  text: string;
  note: string;
  rows?: Id[]; // that can be called, rested and selected
  run: () => void;
}

const most = 40;

/** Finder finds instruments, stems, machines, calls and commands, those chosen
 * often before the rest. What it finds can be called and rested at once. */
export function Finder({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [question, setQuestion] = useState("");
  const [at, setAt] = useState("");
  const [counts] = useState(uses);
  const cat = useCatalogue();
  const rows = useMemo(() => rowsToFind(sheet, cat?.vocabulary ?? []), [sheet, cat?.vocabulary]);
  const found = useMemo(() => find(sheet, rows, question, counts), [sheet, rows, question, counts]);
  const act = (e: KeyboardEvent) => {
    const here = found.find((f) => f.key === at);
    if (e.key !== "Enter" || !here?.rows || !(e.ctrlKey || e.metaKey || e.shiftKey)) return;
    e.preventDefault();
    e.stopPropagation();
    used(here.key);
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
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Command
            shouldFilter={false}
            label="Find anything"
            loop
            value={at}
            onValueChange={setAt}
            onKeyDownCapture={act}
          >
            <Command.Input
              value={question}
              onValueChange={setQuestion}
              autoFocus
              placeholder="spic vln, oboe long, Low brass, storm…"
              className="h-11 w-full border-line border-b bg-transparent px-3 text-[15px] outline-none"
            />
            <Command.List className="max-h-[54vh] overflow-y-auto p-1">
              <Command.Empty className="px-3 py-4 text-soft">Nothing goes by that name.</Command.Empty>
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
            <p className="border-line border-t px-3 py-1.5 text-[12px] text-soft">
              Enter goes there · Ctrl Enter calls · Ctrl Shift Enter rests · Shift Enter adds to what is selected
            </p>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

type Rows = ReturnType<typeof rowsToFind>;

function find(sheet: Sheet, rows: Rows, question: string, counts: Record<string, number>): Found[] {
  const asks = asked(question);
  const found = [
    ...(question ? places(sheet, firstRows(rows, asks, most, counts), asks) : []),
    ...doings(sheet).filter((f) => asks(textOf(f.text, f.note, f.kind))),
  ];
  return found
    .map((f, n) => ({ f, n, uses: counts[f.key] ?? 0 }))
    .sort((a, b) => b.uses - a.uses || a.n - b.n)
    .slice(0, most)
    .map((x) => x.f);
}

/** places are what a person goes to. */
function places(sheet: Sheet, rows: Rows, asks: (text: string) => boolean): Found[] {
  return [
    ...rows.map(({ row, path }) => ({
      key: row.id,
      kind: "instrument",
      text: row.name,
      note: path,
      rows: [row.id],
      run: () => {
        select([row.id], row.id);
        show("orchestra");
      },
    })),
    ...things(sheet.buses)
      .filter((b) => asks(textOf(b.name, b.kind)))
      .map((b) => ({
        key: b.id,
        kind: b.kind,
        text: b.name,
        note: b.kind,
        run: () => {
          set({ bus: b.id });
          show("routing");
        },
      })),
    ...things(sheet.machines)
      .filter((m) => asks(textOf(m.name, "machine")))
      .map((m) => ({ key: m.id, kind: "machine", text: m.name, note: "machine", run: () => show("seating") })),
  ];
}

/** doings are calls and commands. */
function doings(sheet: Sheet): Found[] {
  return [
    ...things(sheet.calls).map((c) => ({
      key: c.id,
      kind: "call",
      text: `Call ${c.name}`,
      note: plural(c.instruments.length, "row"),
      run: () => {
        show("calls");
        void call(c.instruments, "only");
      },
    })),
    ...commands(),
  ];
}

function commands(): Found[] {
  const command = (text: string, note: string, run: () => void): Found => ({
    key: text,
    kind: "command",
    text,
    note,
    run,
  });
  const selected = () => [...get().selection];
  return [
    ...leafNames.map((n) => command(`Unfold ${leafTitle[n]}`, "", () => unfold(n, false))),
    command("Bring in a row list", "", () => set({ dialog: "import" })),
    command("Seat everyone", "", () => void seatEveryone(false)),
    command("Put in order, or gather by role or library", "", () => set({ dialog: "order" })),
    command("Palette", "", () => set({ dialog: "palette" })),
    command("History and versions", "", () => set({ dialog: "history" })),
    command("Compare with a version or another template", "", () => set({ dialog: "compare-templates" })),
    command("Name rows by a pattern", "", () => set({ dialog: "names" })),
    command("Find and replace text", "", () => set({ dialog: "replace" })),
    command("Plan the seating", "", () => set({ dialog: "plan" })),
    command("What if: another rig, or fewer risers", "", () => set({ dialog: "what-if" })),
    command("A call from the music", "", () => set({ dialog: "music" })),
    command("A small one out of this", "", () => set({ dialog: "small" })),
    command("Compare two calls", "", () => set({ dialog: "compare-calls" })),
    command("Show only what is ready", "", () => set((s) => ({ readyOnly: !s.readyOnly }))),
    command("Call the selection", "C", () => void call(selected(), "call")),
    command("Rest the selection", "X", () => void call(selected(), "rest")),
    command("New row", "N", () => void addRows("sampled", 1, get().cursor, get().sheet?.sections.order[0])),
    command("Undo", "Ctrl Z", () => void undo()),
    command("Redo", "Ctrl Shift Z", () => void redo()),
    command("Marks and remedies", ".", () => set({ dialog: "marks" })),
    command("Add a machine", "", () => set({ dialog: "machine" })),
    command("New template", "", () => set({ dialog: "new" })),
    command("Name and settings", "", () => set({ dialog: "settings" })),
    command("Keys", "?", () => set({ dialog: "keys" })),
  ];
}
