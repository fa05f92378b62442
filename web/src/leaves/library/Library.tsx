import { type KeyboardEvent, useEffect, useState } from "react";
import type { Id } from "../../model/api";
import {
  type Asked,
  type Patch,
  redoCatalogue,
  undoCatalogue,
  useCatalogue,
  useCatalogueEvents,
} from "../../model/catalogue";
import { set, useApp } from "../../model/store";

import { LeafHead } from "../../parts/LeafHead";
import { LibraryDialog } from "./LibraryDialog";
import { MoreMenu } from "./MoreMenu";
import { PatchList } from "./PatchList";
import { PatchSheet } from "./PatchSheet";
import { ScanDialog } from "./ScanDialog";
import { Shelves } from "./Shelves";
import { UseMenu } from "./UseMenu";
import { words } from "./words";

const say = words.library;

/** Library is what the studio owns, what it costs, and how each articulation
 * is reached. */
export function Library() {
  const cat = useCatalogue();
  useCatalogueEvents(cat?.id);
  const [asked, setAsked] = useState<Asked>({ text: "", library: "", sort: "" });
  const [chosen, setChosen] = useState<Patch[]>([]);
  const [scanning, setScanning] = useState(false);
  const [editing, setEditing] = useState<Id | null>(null);
  const shelf = useApp((s) => s.shelf);
  const [wanted, setWanted] = useState<Id>("");
  useEffect(() => {
    if (!shelf) return;
    setAsked({ text: shelf.text, library: shelf.library, sort: "" });
    setWanted(shelf.patch);
    set({ shelf: null });
  }, [shelf]);
  if (!cat) return <p className="p-4 text-soft">{say.loadingTheLibrary}</p>;
  const patches = cat.shelves.reduce((n, s) => n + s.patches, 0);
  const keys = (e: KeyboardEvent) => {
    if (
      !(e.ctrlKey || e.metaKey) ||
      e.key.toLowerCase() !== "z" ||
      (e.target as HTMLElement).matches("input, textarea")
    )
      return;
    e.preventDefault(); // taken back here, not in the template
    void (e.shiftKey ? redoCatalogue(cat.id) : undoCatalogue(cat.id));
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: undo anywhere in the leaf is the catalogue's
    <div className="flex min-h-0 flex-1 flex-col" onKeyDown={keys}>
      <LeafHead title={say.library} note={`${say.libraries(cat.libraries.length)}, ${say.patches(patches)}`}>
        <button type="button" className="button" onClick={() => set({ dialog: "casting" })}>
          {say.cast}
        </button>
        <button type="button" className="button" onClick={() => setScanning(true)}>
          {say.scan}
        </button>
        <MoreMenu cat={cat} />
        <UseMenu chosen={chosen} />
      </LeafHead>
      <div className="flex min-h-0 flex-1">
        <Shelves
          cat={cat}
          library={asked.library}
          choose={(library) => {
            setAsked({ ...asked, library });
            setChosen([]);
          }}
          edit={setEditing}
        />
        <div className="flex min-w-0 flex-1 flex-col">
          <PatchList
            cat={cat}
            asked={asked}
            setAsked={setAsked}
            chosen={chosen}
            choose={setChosen}
            wanted={wanted}
            found={() => setWanted("")}
            scan={() => setScanning(true)}
          />
          {chosen.length > 0 && <PatchSheet cat={cat} chosen={chosen} />}
        </div>
      </div>
      {scanning && <ScanDialog cat={cat} close={() => setScanning(false)} />}
      {editing !== null && <LibraryDialog cat={cat} id={editing} close={() => setEditing(null)} />}
    </div>
  );
}
