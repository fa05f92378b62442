import { busKinds } from "../../model/buskinds";

import { leaf } from "../leaf";
import { Deliver } from "./Deliver";
import { ReturnsDialog } from "./ReturnsDialog";
import { RulesDialog } from "./RulesDialog";
import { StemsDialog } from "./StemsDialog";
import { WiringDialog } from "./WiringDialog";
import { words } from "./words";

const say = words.leaf;

export const deliver = leaf({
  name: "deliver",
  title: say.deliver,
  number: 1,
  width: 1.25,
  Content: Deliver,
  figure: (sheet) => {
    let n = 0;
    for (const b of sheet.buses.byId.values()) if (busKinds[b.kind].stem) n++;
    return say.stems(n);
  },
  dialogs: { stems: StemsDialog, rules: RulesDialog, returns: ReturnsDialog, wiring: WiringDialog },
});
