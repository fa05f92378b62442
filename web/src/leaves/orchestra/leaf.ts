import { within } from "../../model/score";
import { get, select, set } from "../../model/store";
import { played } from "../../model/template";
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
import { words } from "./words";

const say = words.leaf;

export const orchestra = leaf({
  name: "orchestra",
  title: say.orchestra,
  number: 3,
  width: 1.5,
  Content: Orchestra,
  figure: (sheet) => say.instruments(played(sheet)),
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
    command(say.bringInARowList, "", () => set({ dialog: "import" })),
    command(say.palette, "", () => set({ dialog: "palette" })),
    ...doings(takeOut).map((d) => command(say.takeOut(d.text), "", d.run)),
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
    ["J, K, ↑, ↓", say.moveThroughRowsShiftExtends],
    ["1 to 9, 0", say.lookAlongTheSightline],
    ["V, Shift V", say.theNextSightline],
    ["F", say.theNextFreeRow],
    ["Ctrl A", say.selectEveryRowThatShows],
    ["Home, End", say.firstRowLastRow],
    ["← →", say.moveThroughTheFields],
    ["E", say.editTheFieldUnderFocus],
    ["C", say.callTheSelectionReady],
    ["X", say.restTheSelectionTacet],
    ["Shift C", say.callTheSelectionRest],
    ["D", say.duplicateWithEverything],
    ["Shift D", say.sameAgainAnotherRow],
    ["Ctrl C, Ctrl V", say.copyRowsPaste],
    ["N", say.newRowBelow],
    ["Shift N", say.dividerBelow],
    ["Delete", say.deleteTheSelection],
    ["Alt ↑, Alt ↓", say.moveTheSelection],
    ["G S, G M, G P", say.setStemMachineLibrary],
    ["[ and ]", say.foldUnfoldTheSection],
  ],
});
