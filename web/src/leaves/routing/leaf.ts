import { set, show } from "../../model/store";
import { things } from "../../model/template";
import { leaf } from "../leaf";
import { busActions } from "./busActions";
import { RemoveBusDialog } from "./RemoveBusDialog";
import { Routing } from "./Routing";
import { words } from "./words";

const say = words.leaf;

export const routing = leaf({
  name: "routing",
  title: say.routing,
  number: 5,
  width: 1,
  Content: Routing,
  figure: (sheet) => (sheet.marks === 0 ? say.noMarks : say.marks(sheet.marks)),
  dialogs: { "remove-bus": RemoveBusDialog },
  places: (sheet, asks) =>
    things(sheet.buses)
      .filter((b) => asks(b.name, b.kind))
      .map((b) => ({
        key: b.id,
        kind: b.kind,
        text: b.name,
        note: b.kind,
        run: () => {
          set({ bus: b.id });
          show("routing");
        },
      })),
  things: { bus: { choose: (id) => set({ bus: id }), actions: busActions } },
  keys: [["W, then Enter", say.inRoutingTakeAWire]],
});
