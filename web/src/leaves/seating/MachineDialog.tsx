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
  if (command) return <HostCommand title={`${name} is added`} name={name} command={command} close={close} />;
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
    <Floating title={machine ? machine.name : "Add a machine"} open onOpenChange={close} className="w-[420px]">
      {others.length > 0 && (
        <section className="mb-3 border-line border-b pb-3" aria-label="Machines of the studio">
          <p className="mb-1.5 text-soft">The studio has these already; its other templates use them.</p>
          <div className="flex flex-wrap gap-2">
            {others.map((m) => (
              <button key={m.id} type="button" className="button" onClick={() => void sit(m)}>
                Use {m.name}, {mib(m.memoryMib)}
              </button>
            ))}
          </div>
          <p className="mt-3 text-soft">Or a new one:</p>
        </section>
      )}
      {machine && (
        <p className="mb-2 text-soft">
          This machine is the studio&rsquo;s: what you set here goes for all its templates.
        </p>
      )}
      <form onSubmit={(e) => void keep(e)} className="grid grid-cols-[1fr_140px] items-center gap-2">
        <label className="contents">
          <span>Name</span>
          <input required className="field" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        {figure("memory", "Memory, GiB")}
        {figure("reserve", "Reserved for everything else, GiB")}
        {figure("cores", "Cores")}
        {figure("disk", "Sample disk, MiB/s")}
        <label className="contents">
          <span>Address</span>
          <input
            className="field"
            placeholder="192.168.10.21"
            value={address}
            onChange={(e) => setAddress(e.target.value)}
          />
        </label>
        {figure("network", "Network link, Mbit/s")}
        {figure("buffer", "Audio buffer, samples")}
        {figure("times", "Extra buffers of the host")}
        {machine && cat && cat.libraries.length > 0 && (
          <fieldset className="col-span-2 mt-2">
            <legend className="mb-1 text-soft">Libraries installed</legend>
            <div className="grid max-h-40 grid-cols-2 gap-x-4 overflow-y-auto">
              {cat.libraries.map((l) => (
                <label key={l.id} className="flex h-7 items-center gap-1.5 truncate">
                  <input
                    type="checkbox"
                    checked={moved[l.id] ?? has(l, machine.name)}
                    disabled={alone(cat, l, machine.name)}
                    title={alone(cat, l, machine.name) ? "It is not installed anywhere else" : undefined}
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
              Remove, and take its seats away
            </button>
          )}
          <button type="submit" className="button button-main">
            {machine ? "Save" : "Add"}
          </button>
        </div>
      </form>
    </Floating>
  );
}
