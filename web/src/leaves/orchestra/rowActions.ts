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
import { fieldNamed, fieldWord, having } from "./fields";
import { words } from "./words";

const say = words.rowActions;

/** What is set for many rows at once, with its key where it has one. */
const settable: readonly [field: string, hint?: string][] = [
  ["articulations"],
  ["stem", "G S"],
  ["machine", "G M"],
  ["library", "G P"],
  ["section"],
  ["colour"],
  ["sectionColour"],
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
  const instrument = (id: string) => sheet!.instruments.byId.get(id)!;
  const playing = rows.filter((id) => instrument(id).kind !== "divider");
  const silent = playing.length === 0;
  const one = rows.length === 1 && playing.length === 1;
  const last = rows.at(-1) ?? null;
  const section = sheet?.sections.order[0];
  return [
    { text: say.call, hint: "C", off: silent, run: () => void call(playing, "call") },
    { text: say.rest, hint: "X", off: silent, run: () => void call(playing, "rest") },
    {
      text: say.memory,
      more: [
        { text: say.callAloneInItsSection, hint: "⇧C", off: silent, run: () => void call(playing, "solo") },
        { text: say.keepReady, off: silent, run: () => void keep(playing, true) },
        { text: say.stopKeepingReady, off: silent, run: () => void keep(playing, false) },
        { text: say.setAside, off: none, run: () => void setAside(rows, true) },
        { text: say.bringBack, off: none, run: () => void setAside(rows, false) },
        { text: say.playARecording, off: !one, run: () => set({ dialog: "print" }) },
        {
          text: say.playItsPatchesAgain,
          off: !rows.some((id) => instrument(id).printed),
          run: () => void unprint(rows.filter((id) => instrument(id).printed)),
        },
      ],
    },
    {
      text: say.set,
      more: settable.map(([field, hint]) => ({
        text: `${upper(fieldWord(fieldNamed(field)))}…`,
        ...(hint ? { hint } : {}),
        off: having(sheet!, fieldNamed(field), rows).length === 0,
        run: () => ask(field),
      })),
    },
    {
      text: say.articulations,
      more: [
        { text: say.layThemOut, off: none, run: () => set({ dialog: "layout" }) },
        { text: say.map, off: !one, run: () => set({ dialog: "own-map" }) },
        { text: say.playAPart, off: !one, run: () => set({ dialog: "compile" }) },
      ],
    },
    {
      text: say.namesAndEmblem,
      more: [
        { text: say.nameByAPattern, run: () => set({ dialog: "names" }) },
        { text: say.emblem, off: none, run: () => set({ dialog: "emblem" }) },
        { text: say.findAndReplace, run: () => set({ dialog: "replace" }) },
        {
          text: say.renameTheSection,
          off: none,
          run: () => {
            show("orchestra");
            later(() => set({ renaming: rows[0] ? instrument(rows[0]).section : null }));
          },
        },
      ],
    },
    {
      text: say.addAndCopy,
      more: [
        { text: say.newRowBelow, hint: "N", run: () => void addRows("sampled", 1, last, section) },
        { text: say.dividerBelow, hint: "⇧N", run: () => void addRows("divider", 1, last, section) },
        { text: say.eightSpareRowsBelow, run: () => void addRows("spare", 8, last, section) },
        { text: say.fillUpTheSpareRows, run: () => void keepSpares() },
        { text: say.duplicate, hint: "D", off: none, run: () => void duplicate(rows) },
        { text: say.duplicateOnTheSameSeat, hint: "⇧D", off: none, run: () => void again(rows) },
        {
          text: say.duplicateTheSection,
          off: none,
          run: () => void duplicateSection(instrument(rows[0]!).section),
        },
        { text: say.copy, hint: "Ctrl C", off: none, run: () => copyRows(rows) },
        { text: say.pasteWithRoutes, hint: "Ctrl V", run: () => later(() => set({ dialog: "paste" })) },
      ],
    },
    {
      text: say.arrange,
      more: [
        { text: say.putInOrder, run: () => set({ dialog: "order" }) },
        { text: say.pinToTheTop, off: none, run: () => void pin(rows, true) },
        { text: say.unpin, off: none, run: () => void pin(rows, false) },
        { text: say.giveItASeat, off: none, run: () => void ownSeats(rows) },
        { text: say.followTheStemRulesAgain, off: none, run: () => void obey(rows) },
        { text: say.card, hint: "I", off: !one, run: () => later(() => set({ card: true })) },
        { text: say.whereDoesItShow, off: !one, run: () => whereShown(rows[0]!) },
      ],
    },
    { text: "Delete", hint: "Del", off: none, run: () => void change({ kind: "delete", ids: rows }) },
  ];
}
