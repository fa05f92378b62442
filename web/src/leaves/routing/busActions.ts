import type { Bus, Id } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { call } from "../../model/changing";
import { get, select, set, show } from "../../model/store";
import { isPlayed, type Sheet, things } from "../../model/template";
import type { Action } from "../../parts/Actions";
import { hearBus } from "./hearing";
import { words } from "./words";

const say = words.busActions;

/** rowsInto are the rows whose signal reaches a bus, in score order. */
export function rowsInto(sheet: Sheet, bus: Id): Id[] {
  const into = new Set([bus]);
  const buses = things(sheet.buses);
  for (let before = 0; before < into.size; ) {
    before = into.size;
    for (const b of buses) if (b.routes.some((r) => into.has(r.to))) into.add(b.id);
  }
  return things(sheet.instruments)
    .filter((i) => isPlayed(i) && i.routes.some((r) => into.has(r.to)))
    .map((i) => i.id);
}

/** removable tells whether a bus may be taken out of the template. */
export const removable = (b: Bus) => !busKinds[b.kind].only && !busKinds[b.kind].last;

/** busActions is what can be done with the chosen bus. */
export function busActions(): Action[] {
  const { sheet, bus: id } = get();
  const bus = id ? sheet?.buses.byId.get(id) : undefined;
  if (!sheet || !bus) return [];
  const rows = rowsInto(sheet, bus.id);
  const none = rows.length === 0;
  return [
    {
      text: say.selectItsRows(rows.length),
      off: none,
      run: () => {
        select(rows, rows[0] ?? null);
        show("orchestra");
      },
    },
    { text: say.callItsRows, off: none, run: () => void call(rows, "call") },
    { text: say.restItsRows, off: none, run: () => void call(rows, "rest") },
    { text: say.hearIt, off: !hearBus.possible(bus), run: () => hearBus.run(bus) },
    { text: say.whatReachesIt, run: () => show("routing") },
    { text: say.howItIsDelivered, off: !busKinds[bus.kind].stem, run: () => show("deliver") },
    { text: say.remove, off: !removable(bus), run: () => set({ dialog: "remove-bus" }) },
  ];
}
