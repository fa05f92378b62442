import { plural } from "../../model/template";
import { leaf } from "../leaf";
import { CastingDialog } from "./casting/CastingDialog";
import { Library } from "./Library";

export const library = leaf({
  name: "library",
  title: "Library",
  number: 2,
  width: 1.3,
  Content: Library,
  figure: (sheet) => plural(sheet.libraries.order.length, "library", "libraries"),
  dialogs: { casting: CastingDialog },
  keys: [["Enter", "in Library: use the chosen patches; in a field: set it"]],
});
