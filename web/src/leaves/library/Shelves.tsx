import { Pencil, Plus, Redo2, Undo2 } from "lucide-react";
import type { Id } from "../../model/api";
import { type Catalogue, redoCatalogue, undoCatalogue } from "../../model/catalogue";

import { Emblem, type EmblemValue } from "../../parts/Emblem";
import { words } from "./words";

const say = words.shelves;

interface Props {
  cat: Catalogue;
  library: Id;
  choose: (library: Id) => void;
  edit: (library: Id) => void;
}

const size = (mib: number) => (mib < 1024 ? `${Math.round(mib)} MiB` : `${Math.round(mib / 1024)} GiB`);

/** Shelves lists the libraries. */
export function Shelves({ cat, library, choose, edit }: Props) {
  const all = cat.shelves.reduce((n, s) => n + s.patches, 0);
  return (
    <nav
      aria-label={say.libraries}
      className="flex w-[176px] shrink-0 flex-col overflow-y-auto border-line border-r py-1.5"
    >
      <Shelf name={say.allLibraries} detail={say.patches(all)} on={library === ""} run={() => choose("")} />
      {cat.libraries.map((l, n) => {
        const shelf = cat.shelves[n]!;
        const detail = [`${shelf.patches.toLocaleString("en")}`, l.room, size(shelf.fullMib)];
        return (
          <div key={l.id} className="group relative">
            <Shelf
              name={l.name}
              emblem={l.emblem}
              detail={detail.filter(Boolean).join(" · ")}
              on={library === l.id}
              run={() => choose(l.id)}
            />
            <button
              type="button"
              aria-label={say.edit(l.name)}
              title={say.edit(l.name)}
              className="absolute top-2 right-1 grid size-6 place-items-center rounded-[3px] bg-paper opacity-0 hover:bg-band focus-visible:opacity-100 group-hover:opacity-100"
              onClick={() => edit(l.id)}
            >
              <Pencil size={12} />
            </button>
          </div>
        );
      })}
      <div className="mx-2 mt-2 flex gap-1">
        <button type="button" className="button min-w-0 flex-1 px-1.5" onClick={() => edit("")}>
          <Plus size={13} /> {say.newLibrary}
        </button>
        <button
          type="button"
          className="button px-1.5"
          aria-label={say.undoInTheCatalogue}
          title={say.undoInTheCatalogueCtrl}
          onClick={() => void undoCatalogue(cat.id)}
        >
          <Undo2 size={15} />
        </button>
        <button
          type="button"
          className="button px-1.5"
          aria-label={say.redoInTheCatalogue}
          title={say.redoInTheCatalogueCtrl}
          onClick={() => void redoCatalogue(cat.id)}
        >
          <Redo2 size={15} />
        </button>
      </div>
    </nav>
  );
}

interface ShelfProps {
  name: string;
  emblem?: EmblemValue | undefined;
  detail: string;
  on: boolean;
  run: () => void;
}

function Shelf({ name, emblem, detail, on, run }: ShelfProps) {
  return (
    <button
      type="button"
      aria-pressed={on}
      onClick={run}
      title={name}
      className={`block w-full px-3 py-1 text-left hover:bg-band ${on ? "bg-chosen shadow-[inset_3px_0_0_var(--accent)]" : ""}`}
    >
      <span className="block truncate font-medium">
        {emblem && <Emblem of={emblem} />} {name}
      </span>
      <span className="block truncate text-[12px] text-soft">{detail}</span>
    </button>
  );
}
