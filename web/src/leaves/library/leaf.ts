import { useCatalogue } from "../../model/catalogue";
import { set } from "../../model/store";

import { command, leaf } from "../leaf";
import { CastingDialog } from "./casting/CastingDialog";
import { HandDialog } from "./HandDialog";
import { Library } from "./Library";
import { words } from "./words";

const say = words.leaf;

export const library = leaf({
  name: "library",
  title: say.library,
  number: 2,
  width: 1.3,
  Content: Library,
  // A spine draws it, so that it follows the catalogue.
  figure: () => {
    const libraries = useCatalogue()?.libraries.length;
    return libraries === undefined ? "" : say.libraries(libraries);
  },
  dialogs: { casting: CastingDialog, hand: HandDialog },
  doings: () => [command(say.oneHandForAllLibraries, "", () => set({ dialog: "hand" }))],
  keys: [["Enter", say.inLibraryUseTheChosen]],
});
