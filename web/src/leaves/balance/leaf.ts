import { measure } from "../../model/balance";
import { get, set, show } from "../../model/store";
import { things } from "../../model/template";
import { command, leaf } from "../leaf";
import { Balance } from "./Balance";
import { CalibrateDialog } from "./CalibrateDialog";
import { MicsDialog } from "./MicsDialog";
import { TrimsDialog } from "./TrimsDialog";

export const balance = leaf({
  name: "balance",
  title: "Balance",
  number: 6,
  width: 1.1,
  Content: Balance,
  figure: (sheet) => {
    const heard = things(sheet.instruments).filter((i) => i.heard).length;
    return heard === 0 ? "nothing heard" : `${heard} heard`;
  },
  dialogs: { "level-trims": TrimsDialog, calibrate: CalibrateDialog, microphones: MicsDialog },
  doings: () => [
    command("Measure all rows", "", () => {
      show("balance");
      void measure([]);
    }),
    command("Measure the selection", "", () => {
      show("balance");
      void measure([...get().selection]);
    }),
    command("Calibrate", "", () => set({ dialog: "calibrate" })),
    command("Trim levels", "", () => set({ dialog: "level-trims" })),
  ],
});
