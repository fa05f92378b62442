import { type FormEvent, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { type Catalogue, changeCatalogue } from "../../model/catalogue";
import { randomId } from "../../model/sending";
import { EmblemField } from "../../parts/EmblemField";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.libraryDialog;

const rooms = ["", "dry", "stage", "hall"] as const;

/** LibraryDialog makes a library, or edits or removes one. */
export function LibraryDialog({ cat, id, close }: { cat: Catalogue; id: Id; close: () => void }) {
  const [began] = useState(cat); // what others set from here on is a clash
  const there = began.libraries.find((l) => l.id === id);
  const [name, setName] = useState(there?.name ?? "");
  const [code, setCode] = useState(there?.code ?? "");
  const [family, setFamily] = useState(there?.family ?? "");
  const [room, setRoom] = useState<(typeof rooms)[number]>(there?.room ?? "");
  const [emblem, setEmblem] = useState(there?.emblem);
  const [machines, setMachines] = useState<string[]>(there?.machines ?? []);
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    const value: Schemas["Library"] = {
      id: there?.id ?? `library-${randomId()}`,
      name: name.trim(),
      code: code.trim(),
      ...(family.trim() ? { family: family.trim() } : {}),
      ...(room ? { room } : {}),
      ...(machines.length ? { machines } : {}),
      ...(emblem ? { emblem } : {}),
    };
    if (await changeCatalogue(began, { kind: "put", libraries: [{ at: -1, value }] })) close();
  };
  const remove = async () => {
    if (await changeCatalogue(began, { kind: "drop", libraries: [id] })) close();
  };
  const offered = [...new Set([...cat.rig.map((m) => m.name), ...machines])];
  return (
    <Floating title={there?.name ?? say.newLibrary} open onOpenChange={close} className="w-[420px]">
      <form onSubmit={(e) => void keep(e)} className="grid grid-cols-[110px_1fr] items-center gap-2">
        <label className="contents">
          <span>{say.name}</span>
          <input required className="field" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        <label className="contents">
          <span>{say.shortCode}</span>
          <input
            required
            maxLength={16}
            className="field w-28"
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
        <label className="contents">
          <span>{say.family}</span>
          <input
            className="field"
            placeholder={say.stringsBrass}
            value={family}
            onChange={(e) => setFamily(e.target.value)}
          />
        </label>
        <label className="contents">
          <span>{say.room}</span>
          <select className="field" value={room} onChange={(e) => setRoom(e.target.value as typeof room)}>
            {rooms.map((r) => (
              <option key={r} value={r}>
                {r === "" ? say.notSaid : say.rooms[r]}
              </option>
            ))}
          </select>
        </label>
        <EmblemField value={emblem} set={setEmblem} />
        <span className="self-start pt-1">{say.installedOn}</span>
        <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
          <legend className="sr-only">{say.machinesItIsInstalledOn}</legend>
          {offered.map((m) => (
            <label key={m} className="flex h-7 items-center gap-1.5">
              <input
                type="checkbox"
                checked={machines.includes(m)}
                onChange={(e) => setMachines(e.target.checked ? [...machines, m] : machines.filter((x) => x !== m))}
              />
              {m}
            </label>
          ))}
          <span className="w-full text-[12px] text-soft">{say.noneChosenItCounts}</span>
        </fieldset>
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          {there && (
            <button type="button" className="button mr-auto" onClick={() => void remove()}>
              {say.remove}
            </button>
          )}
          <button type="submit" className="button button-main">
            {there ? say.save : say.add}
          </button>
        </div>
      </form>
    </Floating>
  );
}
