import { type FormEvent, useState } from "react";
import type { Machine } from "../../model/api";
import { changeCatalogue, useCatalogue } from "../../model/catalogue";
import { change, seen } from "../../model/changing";
import { makeCredential, usualDays } from "../../model/hosts";
import { randomId } from "../../model/sending";
import { get, useApp } from "../../model/store";
import { mib, things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { HostCommand } from "./HostCommand";
import { alone, has, installed } from "./installed";
import { words } from "./words";

const say = words.machineDialog;

const started = { memory: 64, reserve: 8, cores: 16, disk: 1500, network: 1000, buffer: 256, times: 1 };

/** MachineDialog adds a machine and shows the one command to run there, or
 * changes one that is there. */
export function MachineDialog({ close }: { close: () => void }) {
  const [machine] = useState(() => get().sheet!.machines.byId.get(get().machine ?? ""));
  const [base] = useState(seen);
  const [name, setName] = useState(machine?.name ?? "");
  const [figures, setFigures] = useState(
    machine
      ? {
          memory: machine.memoryMib / 1024,
          reserve: machine.reserveMib / 1024,
          cores: machine.cores,
          disk: machine.diskMibs,
          network: machine.networkMbits ?? 0,
          buffer: machine.bufferSamples ?? 0,
          times: machine.bufferTimes ?? 0,
        }
      : started,
  );
  const [address, setAddress] = useState(machine?.address ?? "");
  const [command, setCommand] = useState("");
  const cat = useCatalogue();
  const [moved, setMoved] = useState<Record<string, boolean>>({}); // libraries that come or go, by ID
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    const value: Machine = {
      id: machine?.id ?? `machine-${randomId()}`,
      name: name.trim(),
      memoryMib: figures.memory * 1024,
      reserveMib: figures.reserve * 1024,
      cores: figures.cores,
      diskMibs: figures.disk,
      ...(figures.network ? { networkMbits: figures.network } : {}),
      ...(address.trim() ? { address: address.trim() } : {}),
      ...(figures.buffer ? { bufferSamples: figures.buffer } : {}),
      ...(figures.times ? { bufferTimes: figures.times } : {}),
    };
    if (!(await change({ kind: "put", machines: [{ at: -1, value }] }, base))) return;
    const libraries = cat && machine ? installed(cat, machine.name, value.name, moved) : [];
    if (cat && libraries.length && !(await changeCatalogue(cat, { kind: "put", libraries }))) return;
    if (machine) return close();
    const made = await makeCredential(value.id, usualDays);
    if (made) setCommand(made.command);
  };
  const remove = async () => {
    if (machine && (await change({ kind: "remove-machine", id: machine.id }))) close();
  };
  const studio = cat?.rig ?? [];
  const sheet = useApp((s) => s.sheet)!;
  const others = machine
    ? []
    : studio.filter((m) => !things(sheet.machines).some((x) => x.name.toLowerCase() === m.name.toLowerCase()));
  const sit = async (m: Machine) => {
    if (await change({ kind: "put", machines: [{ at: -1, value: m }] }, base)) close();
  };
  if (command) return <HostCommand title={say.isAdded(name)} name={name} command={command} close={close} />;
  const figure = (key: keyof typeof figures, text: string) => (
    <label className="contents">
      <span>{text}</span>
      <input
        type="number"
        min={key === "memory" || key === "cores" || key === "disk" ? 1 : 0}
        step="any"
        required
        className="field"
        value={figures[key]}
        onChange={(e) => setFigures({ ...figures, [key]: Number(e.target.value) })}
      />
    </label>
  );
  return (
    <Floating title={machine ? machine.name : say.addAMachine} open onOpenChange={close} className="w-[420px]">
      {others.length > 0 && (
        <section className="mb-3 border-line border-b pb-3" aria-label={say.machinesOfTheStudio}>
          <p className="mb-1.5 text-soft">{say.theStudioHasTheseAlready}</p>
          <div className="flex flex-wrap gap-2">
            {others.map((m) => (
              <button key={m.id} type="button" className="button" onClick={() => void sit(m)}>
                {say.use(m.name, mib(m.memoryMib))}
              </button>
            ))}
          </div>
          <p className="mt-3 text-soft">{say.orANewOne}</p>
        </section>
      )}
      {machine && <p className="mb-2 text-soft">{say.thisMachineIsTheStudios}</p>}
      <form onSubmit={(e) => void keep(e)} className="grid grid-cols-[1fr_140px] items-center gap-2">
        <label className="contents">
          <span>{say.name}</span>
          <input required className="field" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        {figure("memory", say.memoryGib)}
        {figure("reserve", say.reservedForEverythingElseGib)}
        {figure("cores", say.cores)}
        {figure("disk", say.sampleDiskMibS)}
        <label className="contents">
          <span>{say.address}</span>
          <input
            className="field"
            placeholder="192.168.10.21"
            value={address}
            onChange={(e) => setAddress(e.target.value)}
          />
        </label>
        {figure("network", say.networkLinkMbitS)}
        {figure("buffer", say.audioBufferSamples)}
        {figure("times", say.extraBuffersOfTheHost)}
        {machine && cat && cat.libraries.length > 0 && (
          <fieldset className="col-span-2 mt-2">
            <legend className="mb-1 text-soft">{say.librariesInstalled}</legend>
            <div className="grid max-h-40 grid-cols-2 gap-x-4 overflow-y-auto">
              {cat.libraries.map((l) => (
                <label key={l.id} className="flex h-7 items-center gap-1.5 truncate">
                  <input
                    type="checkbox"
                    checked={moved[l.id] ?? has(l, machine.name)}
                    disabled={alone(cat, l, machine.name)}
                    title={alone(cat, l, machine.name) ? say.itIsNotInstalledAnywhere : undefined}
                    onChange={(e) => setMoved({ ...moved, [l.id]: e.target.checked })}
                  />
                  <span className="truncate">{l.name}</span>
                </label>
              ))}
            </div>
          </fieldset>
        )}
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          {machine && (
            <button type="button" className="button mr-auto" onClick={() => void remove()}>
              {say.removeItAndItsSeats}
            </button>
          )}
          <button type="submit" className="button button-main">
            {machine ? say.save : say.add}
          </button>
        </div>
      </form>
    </Floating>
  );
}
