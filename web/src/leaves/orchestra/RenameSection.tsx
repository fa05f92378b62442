import { type KeyboardEvent, useRef, useState } from "react";
import type { Section } from "../../model/api";
import { change, seen } from "../../model/changing";
import { set } from "../../model/store";
import { words } from "./words";

const say = words.renameSection;

/** RenameSection edits a section's name in place: Enter keeps, Escape leaves
 * it as it was. */
export function RenameSection({ section }: { section: Section }) {
  const [name, setName] = useState(section.name);
  const [base] = useState(seen);
  const done = useRef(false);
  const stop = (keep: boolean) => {
    if (done.current) return;
    done.current = true;
    set({ renaming: null });
    if (keep && name.trim() !== section.name) {
      void change({ kind: "put", sections: [{ at: -1, value: { ...section, name: name.trim() } }] }, base);
    }
  };
  const key = (e: KeyboardEvent) => {
    e.stopPropagation();
    if (e.key === "Enter") stop(true);
    else if (e.key === "Escape") stop(false);
    else return;
    e.preventDefault();
  };
  return (
    <input
      // biome-ignore lint/a11y/noAutofocus: renaming was just asked for
      autoFocus
      aria-label={say.nameOfTheSection(section.name)}
      className="h-6 min-w-0 flex-1 border border-accent bg-paper px-1 font-serif"
      value={name}
      onChange={(e) => setName(e.target.value)}
      onFocus={(e) => e.target.select()}
      onBlur={() => stop(true)}
      onKeyDown={key}
    />
  );
}
