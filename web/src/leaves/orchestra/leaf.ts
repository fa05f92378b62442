import { within } from "../../model/score";
import { get, select, set } from "../../model/store";
import { played, plural } from "../../model/template";
import { doings } from "../../parts/Actions";
import { command, leaf } from "../leaf";
import { CompileDialog } from "./CompileDialog";
import { EmblemDialog } from "./EmblemDialog";
import { ImportDialog } from "./ImportDialog";
import { LayoutDialog } from "./LayoutDialog";
import { NamesDialog } from "./NamesDialog";
import { Orchestra } from "./Orchestra";
import { OrderDialog } from "./OrderDialog";
import { OwnMapDialog } from "./OwnMapDialog";
import { PaletteDialog } from "./PaletteDialog";
import { PasteDialog } from "./PasteDialog";
import { PromptDialog } from "./PromptDialog";
import { ReplaceDialog } from "./ReplaceDialog";
import { rowActions } from "./rowActions";
import { SightDialog } from "./SightDialog";
import { takeOut } from "./TakeOutMenu";

export const orchestra = leaf({
  name: "orchestra",
  title: "Orchestra",
  number: 3,
  width: 1.5,
  Content: Orchestra,
  figure: (sheet) => plural(played(sheet), "instrument"),
  dialogs: {
    import: ImportDialog,
    layout: LayoutDialog,
    order: OrderDialog,
    palette: PaletteDialog,
    sightline: SightDialog,
    names: NamesDialog,
    replace: ReplaceDialog,
    "own-map": OwnMapDialog,
    compile: CompileDialog,
    paste: PasteDialog,
    prompt: PromptDialog,
    emblem: EmblemDialog,
  },
  doings: () => [
    command("Bring in a row list", "", () => set({ dialog: "import" })),
    command("Palette", "", () => set({ dialog: "palette" })),
    ...doings(takeOut).map((d) => command(`Take out ${d.text.charAt(0).toLowerCase()}${d.text.slice(1)}`, "", d.run)),
    ...doings(rowActions())
      .filter((d) => !d.off)
      .map((d) => command(d.text, d.hint ?? "", d.run)),
  ],
  things: {
    row: {
      choose: (id) => {
        if (!get().selection.has(id)) select([id], id);
      },
      actions: rowActions,
    },
    section: {
      choose: (id) => {
        const rows = within(get().sheet!, id);
        select(rows, rows[0] ?? null);
      },
      actions: rowActions,
    },
  },
  keys: [
    ["J, K, ↑, ↓", "move through rows; Shift extends the selection"],
    ["1 to 9, 0", "look along the sightline with that digit; 0 shows everything"],
    ["V, Shift V", "the next sightline, the one before"],
    ["F", "the next free row"],
    ["Ctrl A", "select every row that shows"],
    ["Home, End", "first row, last row"],
    ["← →", "move through the fields of a row"],
    ["E", "edit the field under focus; Tab to the next, Enter to keep, Escape to leave"],
    ["C", "call the selection: ready"],
    ["X", "rest the selection: tacet"],
    ["Shift C", "call the selection, rest the others of its sections"],
    ["D", "duplicate with everything"],
    ["Shift D", "same again: another row on the same seat"],
    ["Ctrl C, Ctrl V", "copy rows; paste them with their routes, into another template too"],
    ["N", "new row below"],
    ["Delete", "delete the selection"],
    ["Alt ↑, Alt ↓", "move the selection"],
    ["G S, G M, G P", "set stem, machine, library of the selection"],
    ["[ and ]", "fold, unfold the section; with Shift, all"],
  ],
});
