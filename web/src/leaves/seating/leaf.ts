import { seatEveryone } from "../../model/changing";
import { set, show } from "../../model/store";
import { things } from "../../model/template";
import { command, leaf } from "../leaf";
import { HostDialog } from "./HostDialog";
import { MachineDialog } from "./MachineDialog";
import { PlanDialog } from "./PlanDialog";
import { Seating } from "./Seating";
import { WhatIfDialog } from "./WhatIfDialog";
import { words } from "./words";

const say = words.leaf;

export const seating = leaf({
  name: "seating",
  title: say.seating,
  number: 4,
  width: 1.25,
  Content: Seating,
  figure: (sheet) => {
    let n = 0;
    for (const i of sheet.instruments.byId.values()) if (i.kind === "sampled" && !i.seat && !i.with) n++;
    return n === 0 ? say.allSeated : say.unseated(n);
  },
  dialogs: { machine: MachineDialog, plan: PlanDialog, "what-if": WhatIfDialog, host: HostDialog },
  places: (sheet, asks) =>
    things(sheet.machines)
      .filter((m) => asks(m.name, "machine"))
      .map((m) => ({ key: m.id, kind: say.machine, text: m.name, note: say.machine, run: () => show("seating") })),
  doings: () => [
    command(say.seatEveryone, "", () => void seatEveryone(false)),
    command(say.planTheSeating, "", () => set({ dialog: "plan" })),
    command(say.whatIfAnotherRig, "", () => set({ dialog: "what-if" })),
    command(say.addAMachine, "", () => set({ dialog: "machine" })),
  ],
});
