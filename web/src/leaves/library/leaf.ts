import { useCatalogue } from "../../model/catalogue";
import { set } from "../../model/store";
import { plural } from "../../model/template";
import { command, leaf } from "../leaf";
import { CastingDialog } from "./casting/CastingDialog";
import { HandDialog } from "./HandDialog";
import { Library } from "./Library";

export const library = leaf({
  name: "library",
  title: "Library",
  number: 2,
  width: 1.3,
  Content: Library,
  // A spine draws it, so that it follows the catalogue.
  figure: () => {
    const libraries = useCatalogue()?.libraries.length;
    return libraries === undefined ? "" : plural(libraries, "library", "libraries");
  },
  dialogs: { casting: CastingDialog, hand: HandDialog },
  doings: () => [command("One hand for all libraries", "", () => set({ dialog: "hand" }))],
  keys: [["Enter", "in Library: use the chosen patches; in a field: set it"]],
});
