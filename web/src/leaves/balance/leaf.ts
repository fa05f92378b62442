import { measure } from "../../model/balance";
import { get, set, show } from "../../model/store";
import { things } from "../../model/template";
import { command, leaf } from "../leaf";
import { Balance } from "./Balance";
import { CalibrateDialog } from "./CalibrateDialog";
import { MicsDialog } from "./MicsDialog";
import { TrimsDialog } from "./TrimsDialog";
import { words } from "./words";

const say = words.leaf;

export const balance = leaf({
  name: "balance",
  title: say.balance,
  number: 6,
  width: 1.1,
  Content: Balance,
  figure: (sheet) => {
    const heard = things(sheet.instruments).filter((i) => i.heard).length;
    return heard === 0 ? say.nothingHeard : say.heard(heard);
  },
  dialogs: { "level-trims": TrimsDialog, calibrate: CalibrateDialog, microphones: MicsDialog },
  doings: () => [
    command(say.measureAllRows, "", () => {
      show("balance");
      void measure([]);
    }),
    command(say.measureTheSelection, "", () => {
      show("balance");
      void measure([...get().selection]);
    }),
    command(say.calibrate, "", () => set({ dialog: "calibrate" })),
    command(say.trimLevels, "", () => set({ dialog: "level-trims" })),
  ],
});
