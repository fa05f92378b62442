import { leaf } from "../leaf";
import { BringInDialog } from "./BringInDialog";
import { DeliverDialog } from "./DeliverDialog";
import { NewPrintDialog } from "./NewPrintDialog";
import { Print } from "./Print";
import { RecordOverDialog } from "./RecordOverDialog";
import { words } from "./words";

const say = words.leaf;

export const print = leaf({
  name: "print",
  title: say.print,
  number: 9,
  width: 1.4,
  Content: Print,
  figure: () => say.stemsAsAudio,
  dialogs: {
    "new-print": NewPrintDialog,
    "bring-in": BringInDialog,
    deliver: DeliverDialog,
    "record-over": RecordOverDialog,
  },
});
