import { busKinds } from "../../model/buskinds";
import { plural } from "../../model/template";
import { leaf } from "../leaf";
import { Deliver } from "./Deliver";
import { ReturnsDialog } from "./ReturnsDialog";
import { RulesDialog } from "./RulesDialog";
import { StemsDialog } from "./StemsDialog";
import { WiringDialog } from "./WiringDialog";

export const deliver = leaf({
  name: "deliver",
  title: "Deliver",
  number: 1,
  width: 1.25,
  Content: Deliver,
  figure: (sheet) => {
    let n = 0;
    for (const b of sheet.buses.byId.values()) if (busKinds[b.kind].stem) n++;
    return plural(n, "stem");
  },
  dialogs: { stems: StemsDialog, rules: RulesDialog, returns: ReturnsDialog, wiring: WiringDialog },
});
