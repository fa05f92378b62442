import { seatEveryone } from "../../model/changing";
import { set, show } from "../../model/store";
import { things } from "../../model/template";
import { command, leaf } from "../leaf";
import { HostDialog } from "./HostDialog";
import { MachineDialog } from "./MachineDialog";
import { PlanDialog } from "./PlanDialog";
import { Seating } from "./Seating";
import { WhatIfDialog } from "./WhatIfDialog";

export const seating = leaf({
  name: "seating",
  title: "Seating",
  number: 4,
  width: 1.25,
  Content: Seating,
  figure: (sheet) => {
    let n = 0;
    for (const i of sheet.instruments.byId.values()) if (i.kind === "sampled" && !i.seat && !i.with) n++;
    return n === 0 ? "all seated" : `${n} unseated`;
  },
  dialogs: { machine: MachineDialog, plan: PlanDialog, "what-if": WhatIfDialog, host: HostDialog },
  places: (sheet, asks) =>
    things(sheet.machines)
      .filter((m) => asks(m.name, "machine"))
      .map((m) => ({ key: m.id, kind: "machine", text: m.name, note: "machine", run: () => show("seating") })),
  doings: () => [
    command("Seat everyone", "", () => void seatEveryone(false)),
    command("Plan the seating", "", () => set({ dialog: "plan" })),
    command("What if: another rig, or fewer risers", "", () => set({ dialog: "what-if" })),
    command("Add a machine", "", () => set({ dialog: "machine" })),
  ],
});
