import {
  addRows,
  again,
  call,
  change,
  duplicate,
  keep,
  keepSpares,
  ownSeats,
  pin,
  setAside,
} from "../../model/changing";
import { copyRows, duplicateSection, obey } from "../../model/delivering";
import { whereShown } from "../../model/sight";
import { get, set, show } from "../../model/store";
import type { Action } from "../../parts/Actions";
import { unprint } from "../calls/PrintDialog";
import { fieldNamed } from "./fields";

/** What is set for many rows at once, with its key where it has one. */
const settable: readonly [field: string, hint?: string][] = [
  ["articulations"],
  ["stem", "G S"],
  ["machine", "G M"],
  ["library", "G P"],
  ["section"],
  ["colour"],
  ["section colour"],
  ["kind"],
  ["notes"],
];

/** later runs something once a menu has given its focus back. */
const later = (run: () => void) => void setTimeout(run, 50);

const upper = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

/** ask opens the dialog that sets a field of the selection. */
export const ask = (field: string) => set({ dialog: "prompt", asking: fieldNamed(field).key });

/** rowActions is everything that can be done to the selected rows at once: nine at first sight, the
 * rest one step deeper. */
export function rowActions(): Action[] {
  const { sheet, selection } = get();
  const rows = sheet ? sheet.instruments.order.filter((id) => selection.has(id)) : [];
  const none = rows.length === 0;
  const one = rows.length === 1;
  const instrument = (id: string) => sheet!.instruments.byId.get(id)!;
  const last = rows.at(-1) ?? null;
  const section = sheet?.sections.order[0];
  return [
    { text: "Call", hint: "C", off: none, run: () => void call(rows, "call") },
    { text: "Rest", hint: "X", off: none, run: () => void call(rows, "rest") },
    {
      text: "Memory",
      more: [
        { text: "Call alone in its section", hint: "⇧C", off: none, run: () => void call(rows, "solo") },
        { text: "Keep ready", off: none, run: () => void keep(rows, true) },
        { text: "Stop keeping ready", off: none, run: () => void keep(rows, false) },
        { text: "Set aside", off: none, run: () => void setAside(rows, true) },
        { text: "Bring back", off: none, run: () => void setAside(rows, false) },
        { text: "Play a recording…", off: !one, run: () => set({ dialog: "print" }) },
        {
          text: "Play its patches again",
          off: !rows.some((id) => instrument(id).printed),
          run: () => void unprint(rows.filter((id) => instrument(id).printed)),
        },
      ],
    },
    {
      text: "Set",
      more: settable.map(([field, hint]) => ({
        text: `${upper(field)}…`,
        ...(hint ? { hint } : {}),
        off: none,
        run: () => ask(field),
      })),
    },
    {
      text: "Articulations",
      more: [
        { text: "Lay them out…", off: none, run: () => set({ dialog: "layout" }) },
        { text: "Map…", off: !one, run: () => set({ dialog: "own-map" }) },
        { text: "Play a part…", off: !one, run: () => set({ dialog: "compile" }) },
      ],
    },
    {
      text: "Names and emblem",
      more: [
        { text: "Name by a pattern…", run: () => set({ dialog: "names" }) },
        { text: "Emblem…", off: none, run: () => set({ dialog: "emblem" }) },
        { text: "Find and replace…", run: () => set({ dialog: "replace" }) },
        {
          text: "Rename the section…",
          off: none,
          run: () => {
            show("orchestra");
            later(() => set({ renaming: rows[0] ? instrument(rows[0]).section : null }));
          },
        },
      ],
    },
    {
      text: "Add and copy",
      more: [
        { text: "New row below", hint: "N", run: () => void addRows("sampled", 1, last, section) },
        { text: "Eight spare rows below", run: () => void addRows("spare", 8, last, section) },
        { text: "Fill up the spare rows", run: () => void keepSpares() },
        { text: "Duplicate", hint: "D", off: none, run: () => void duplicate(rows) },
        { text: "Duplicate on the same seat", hint: "⇧D", off: none, run: () => void again(rows) },
        {
          text: "Duplicate the section",
          off: none,
          run: () => void duplicateSection(instrument(rows[0]!).section),
        },
        { text: "Copy", hint: "Ctrl C", off: none, run: () => copyRows(rows) },
        { text: "Paste with routes", hint: "Ctrl V", run: () => later(() => set({ dialog: "paste" })) },
      ],
    },
    {
      text: "Arrange",
      more: [
        { text: "Put in order…", run: () => set({ dialog: "order" }) },
        { text: "Pin to the top", off: none, run: () => void pin(rows, true) },
        { text: "Unpin", off: none, run: () => void pin(rows, false) },
        { text: "Give it a seat of its own", off: none, run: () => void ownSeats(rows) },
        { text: "Follow the stem rules again", off: none, run: () => void obey(rows) },
        { text: "Card", hint: "I", off: !one, run: () => later(() => set({ card: true })) },
        { text: "Where does it show?", off: !one, run: () => whereShown(rows[0]!) },
      ],
    },
    { text: "Delete", hint: "Del", off: none, run: () => void change({ kind: "delete", ids: rows }) },
  ];
}
