import { type FormEvent, useState } from "react";
import { answer, api, type Machine } from "../../model/api";
import { attempt, change, get } from "../../model/store";
import { Floating } from "../../shell/Floating";

/** MachineDialog adds a machine and shows the one command to run there. */
export function MachineDialog({ close }: { close: () => void }) {
  const [name, setName] = useState("");
  const [figures, setFigures] = useState({ memory: 64, reserve: 8, cores: 16, disk: 1500 });
  const [command, setCommand] = useState("");
  const add = async (e: FormEvent) => {
    e.preventDefault();
    const value: Machine = {
      id: `machine-${crypto.randomUUID()}`,
      name: name.trim(),
      memoryMib: figures.memory * 1024,
      reserveMib: figures.reserve * 1024,
      cores: figures.cores,
      diskMibs: figures.disk,
    };
    if (!(await change({ kind: "put", machines: [{ at: -1, value }] }))) return;
    const made = await attempt(() =>
      answer(api.POST("/api/machines/credential", { body: { template: get().sheet!.id, machine: value.id } })),
    );
    if (made) setCommand(made.command);
  };
  if (command) {
    return (
      <Floating title={`${name} is added`} open onOpenChange={close} className="w-[600px]">
        <p className="mb-2">Run this on {name}. The credential is shown this once.</p>
        <pre className="select-all whitespace-pre-wrap break-all rounded-[3px] bg-spine p-3">{command}</pre>
      </Floating>
    );
  }
  const figure = (key: keyof typeof figures, text: string) => (
    <label className="contents">
      <span>{text}</span>
      <input
        type="number"
        min={key === "reserve" ? 0 : 1}
        required
        className="field"
        value={figures[key]}
        onChange={(e) => setFigures({ ...figures, [key]: Number(e.target.value) })}
      />
    </label>
  );
  return (
    <Floating title="Add a machine" open onOpenChange={close} className="w-96">
      <form onSubmit={(e) => void add(e)} className="grid grid-cols-[1fr_140px] items-center gap-2">
        <label className="contents">
          <span>Name</span>
          <input required className="field" value={name} onChange={(e) => setName(e.target.value)} />
        </label>
        {figure("memory", "Memory, GiB")}
        {figure("reserve", "Kept for everything else, GiB")}
        {figure("cores", "Cores")}
        {figure("disk", "Sample disk, MiB/s")}
        <button type="submit" className="button button-main col-span-2 mt-2 justify-center">
          Add it
        </button>
      </form>
    </Floating>
  );
}
