import { type FormEvent, useState } from "react";
import type { Id, Schemas } from "../../model/api";
import { type Catalogue, changeCatalogue } from "../../model/catalogue";
import { randomId } from "../../model/sending";
import { EmblemField } from "../../parts/EmblemField";
import { Floating } from "../../shell/Floating";

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
    <Floating title={there?.name ?? "New library"} open onOpenChange={close} className="w-[420px]">
      <form onSubmit={(e) => void keep(e)} className="grid grid-cols-[110px_1fr] items-center gap-2">
        <label className="contents">
          <span>Name</span>
          <input required className="field" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        <label className="contents">
          <span>Short code</span>
          <input
            required
            maxLength={16}
            className="field w-28"
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
        <label className="contents">
          <span>Family</span>
          <input
            className="field"
            placeholder="strings, brass…"
            value={family}
            onChange={(e) => setFamily(e.target.value)}
          />
        </label>
        <label className="contents">
          <span>Room</span>
          <select className="field" value={room} onChange={(e) => setRoom(e.target.value as typeof room)}>
            {rooms.map((r) => (
              <option key={r} value={r}>
                {r || "not said"}
              </option>
            ))}
          </select>
        </label>
        <EmblemField value={emblem} set={setEmblem} />
        <span className="self-start pt-1">Installed on</span>
        <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
          <legend className="sr-only">Machines it is installed on</legend>
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
          <span className="w-full text-[12px] text-soft">None chosen: it counts as installed everywhere.</span>
        </fieldset>
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          {there && (
            <button type="button" className="button mr-auto" onClick={() => void remove()}>
              Remove
            </button>
          )}
          <button type="submit" className="button button-main">
            {there ? "Save" : "Add"}
          </button>
        </div>
      </form>
    </Floating>
  );
}
