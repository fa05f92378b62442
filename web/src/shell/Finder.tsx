import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useMemo, useState } from "react";
import { addRows, call, redo, seatEveryone, undo } from "../model/changing";
import { matches } from "../model/score";
import { get, leafNames, select, set, show, unfold, useApp } from "../model/store";
import { libraryOf, pathOf, plural, type Sheet, things } from "../model/template";
import { leafTitle } from "./FoldedSheet";

interface Found {
  key: string;
  kind: string;
  text: string;
  note: string;
  run: () => void;
}

const most = 40;

/** Finder finds instruments, stems, machines, calls and commands. */
export function Finder({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [question, setQuestion] = useState("");
  const found = useMemo(() => find(sheet, question), [sheet, question]);
  return (
    <Dialog.Root open onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-shade" />
        <Dialog.Content
          aria-describedby={undefined}
          className="floating -translate-x-1/2 fixed top-[7vh] left-1/2 w-[560px] max-w-[94vw]"
        >
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Command shouldFilter={false} label="Find anything" loop>
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
                    f.run();
                  }}
                >
                  <span className="min-w-0 truncate">{f.text}</span>
                  <span className="shrink-0 text-soft">{f.note || f.kind}</span>
                </Command.Item>
              ))}
            </Command.List>
          </Command>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function find(sheet: Sheet, question: string): Found[] {
  const out: Found[] = [];
  const add = (f: Found, text = `${f.text} ${f.note} ${f.kind}`) => {
    if (out.length < most && matches(question, text)) out.push(f);
  };
  if (question) {
    for (const i of things(sheet.instruments)) {
      if (out.length >= most) break;
      const path = pathOf(sheet, i.section);
      add(
        {
          key: i.id,
          kind: "instrument",
          text: i.name,
          note: path,
          run: () => {
            select([i.id], i.id);
            show("orchestra");
          },
        },
        `${i.name} ${path} ${i.articulations.join(" ")} ${libraryOf(sheet, i)?.name ?? ""}`,
      );
    }
    for (const b of things(sheet.buses)) {
      const run = () => {
        set({ bus: b.id });
        show("routing");
      };
      add({ key: b.id, kind: b.kind, text: b.name, note: b.kind, run });
    }
    for (const m of things(sheet.machines))
      add({ key: m.id, kind: "machine", text: m.name, note: "machine", run: () => show("seating") });
  }
  for (const c of things(sheet.calls)) {
    const run = () => {
      show("calls");
      void call(c.instruments, "only");
    };
    add({ key: c.id, kind: "call", text: `Call ${c.name}`, note: plural(c.instruments.length, "row"), run });
  }
  for (const f of commands()) add(f);
  return out;
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
