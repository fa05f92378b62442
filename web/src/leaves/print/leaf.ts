import { leaf } from "../leaf";
import { BringInDialog } from "./BringInDialog";
import { DeliverDialog } from "./DeliverDialog";
import { NewPrintDialog } from "./NewPrintDialog";
import { Print } from "./Print";
import { RecordOverDialog } from "./RecordOverDialog";

export const print = leaf({
  name: "print",
  title: "Print",
  number: 9,
  width: 1.4,
  Content: Print,
  figure: () => "stems as audio",
  dialogs: {
    "new-print": NewPrintDialog,
    "bring-in": BringInDialog,
    deliver: DeliverDialog,
    "record-over": RecordOverDialog,
  },
});
