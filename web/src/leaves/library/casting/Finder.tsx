import { useState } from "react";
import type { Instrument } from "../../../model/api";
import { type Catalogue, usePatches } from "../../../model/catalogue";
import { words } from "../words";

const say = words.castingFinder;

interface Props {
  cat: Catalogue;
  first: string; // what is looked for at first
  rows: Instrument[]; // that may be chosen, too
  take: (id: string, beside: boolean) => void;
}

const most = 8;

/** Finder finds rows of the template and patches of the catalogue; each can be
 * taken alone, or beside those there are. */
export function Finder({ cat, first, rows, take }: Props) {
  const [text, setText] = useState(first);
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = rows.filter((i) => words.every((w) => i.name.toLowerCase().includes(w.replace(/s$/, ""))));
  const { total, at } = usePatches({ text, library: "", sort: "" }, 0, most - 1);
  const patches = Array.from({ length: Math.min(most, total) }, (_, n) => at(n)).filter((x) => x !== undefined);
  const item = (id: string, name: string, note: string) => (
    <li key={id} className="flex">
      <button type="button" className="menu-item min-w-0 flex-1 hover:bg-band" onClick={() => take(id, false)}>
        <span className="truncate">{name}</span>
        <span className="truncate text-[12px] text-soft">{note}</span>
      </button>
      <button
        type="button"
        className="button h-7 px-1.5"
        aria-label={say.too(name)}
        title={say.besideThoseChosen}
        onClick={() => take(id, true)}
      >
        +
      </button>
    </li>
  );
  return (
    <>
      <input
        className="field mb-1 w-full"
        aria-label={say.findAPlayer}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <ul className="max-h-64 overflow-y-auto">
        {found.slice(0, most).map((i) => item(i.id, i.name, say.inTheTemplate))}
        {patches.map((x) => item(x.id, x.name, cat.libraries.find((l) => l.id === x.library)?.name ?? ""))}
      </ul>
    </>
  );
}
