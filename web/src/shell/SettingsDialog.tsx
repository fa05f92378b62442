import { type FormEvent, useState } from "react";
import type { Schemas } from "../model/api";
import { change, seen } from "../model/changing";
import { get } from "../model/store";
import { CancelOrSave } from "./CancelOrSave";
import { Floating } from "./Floating";
import { words } from "./words";

const say = words.settingsDialog;

type Settings = Schemas["Settings"];

/** The upbeat's controllers by their MIDI 1.0 names; others are numbered. */
const controllers: Record<number, string> = { 1: say.modulation, 7: say.volume, 10: say.pan, 11: say.expression };

/** SettingsDialog sets the template's name and its own ways. */
export function SettingsDialog({ close }: { close: () => void }) {
  const [name, setName] = useState(get().sheet!.name);
  const [s, setS] = useState<Settings>(get().sheet!.settings);
  const [base] = useState(seen);
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    if (await change({ kind: "configure", name: name.trim(), settings: s }, base)) close();
  };
  const figure = (
    key: "riserPorts" | "riserPairs" | "firstPair" | "minRiserCores" | "tempoBpm" | "cueBar",
    text: string,
    min: number,
    max: number,
  ) => (
    <Line text={text}>
      <input
        type="number"
        className="field w-28"
        min={min}
        max={max}
        step={key === "tempoBpm" ? "any" : 1}
        required
        value={s[key]}
        onChange={(e) => setS({ ...s, [key]: Number(e.target.value) })}
      />
    </Line>
  );
  return (
    <Floating title={say.nameAndSettings} open onOpenChange={close} className="w-[480px]">
      <form onSubmit={(e) => void keep(e)} className="flex min-h-0 flex-col gap-3 overflow-y-auto">
        <Line text={say.name}>
          <input className="field w-56" required value={name} onChange={(e) => setName(e.target.value)} />
        </Line>
        <label className="block">
          {say.whatItIsFor}
          <textarea
            className="field mt-1 h-16 w-full resize-y py-1"
            maxLength={2000}
            placeholder={say.suchAsWinterFilmRecorded}
            value={s.about ?? ""}
            onChange={(e) => {
              const { about: _, ...rest } = s;
              setS(e.target.value ? { ...rest, about: e.target.value } : rest);
            }}
          />
        </label>
        <Part title={say.startOfACue}>
          {figure("tempoBpm", say.tempoQuarterNotesAMinute, 4, 999)}
          {figure("cueBar", say.theCueStartsAtBar, 1, 64)}
          {s.upbeat.map((c, n) => (
            <Line key={c.number} text={say.upbeatController(c.number, controllers[c.number] ?? say.asThePlayerTakesIt)}>
              <input
                type="number"
                className="field w-28"
                min={0}
                max={127}
                required
                value={c.value}
                onChange={(e) =>
                  setS({
                    ...s,
                    upbeat: s.upbeat.map((x, m) => (m === n ? { ...x, value: Number(e.target.value) } : x)),
                  })
                }
              />
            </Line>
          ))}
        </Part>
        <Part title={say.growth}>
          <Line text={say.spareRowsAtTheEnd}>
            <input
              type="number"
              className="field w-28"
              min={0}
              max={64}
              placeholder={say.none}
              value={s.spareRows ?? ""}
              onChange={(e) => {
                const { spareRows: _, ...rest } = s;
                setS(Number(e.target.value) > 0 ? { ...rest, spareRows: Number(e.target.value) } : rest);
              }}
            />
          </Line>
          <Line text={say.orAsAShare}>
            <input
              type="number"
              className="field w-28"
              min={0}
              max={100}
              placeholder={say.none}
              value={s.spareShare ? Math.round(s.spareShare * 100) : ""}
              onChange={(e) => {
                const { spareShare: _, ...rest } = s;
                setS(Number(e.target.value) > 0 ? { ...rest, spareShare: Number(e.target.value) / 100 } : rest);
              }}
            />
          </Line>
        </Part>
        <Part title={say.risers}>
          {figure("riserPorts", say.midiPortsOfARiser, 1, 64)}
          {figure("riserPairs", say.stereoOutputPairs, 1, 256)}
          {figure("firstPair", say.firstPairInUse, 1, s.riserPairs)}
          <Line text={say.aRisersShare}>
            <input
              type="number"
              className="field w-28"
              min={1}
              max={100}
              required
              value={Math.round(s.coreShare * 100)}
              onChange={(e) => setS({ ...s, coreShare: Number(e.target.value) / 100 })}
            />
          </Line>
          {figure("minRiserCores", say.atLeastThisManyCores, 1, 1024)}
          <Line text={say.latencyOfAMachine}>
            <input
              type="number"
              className="field w-28"
              min={0.1}
              max={10000}
              step="any"
              placeholder={say.any}
              value={s.latestMs ?? ""}
              onChange={(e) => {
                const { latestMs: _, ...rest } = s;
                setS(e.target.value === "" ? rest : { ...rest, latestMs: Number(e.target.value) });
              }}
            />
          </Line>
          <Line text={say.whatMustFitIntoMemory}>
            <select
              className="field w-44"
              value={s.memoryRule}
              onChange={(e) => setS({ ...s, memoryRule: e.target.value as Settings["memoryRule"] })}
            >
              <option value="everything">{say.everythingAtOnce}</option>
              <option value="calls">{say.eachNamedCall}</option>
            </select>
          </Line>
        </Part>
        <Part title={say.theMusicProgram}>
          <Line text={say.openSoundControlOnUdp}>
            <input
              type="number"
              className="field w-28"
              min={1024}
              max={65535}
              placeholder={say.off}
              value={s.remotePort ?? ""}
              onChange={(e) => {
                const { remotePort: _, ...rest } = s;
                setS(e.target.value === "" ? rest : { ...rest, remotePort: Number(e.target.value) });
              }}
            />
          </Line>
          <p className="text-[12px] text-soft">{say.itObeysFanfoldCall}</p>
        </Part>
        <CancelOrSave leave={close} />
      </form>
    </Floating>
  );
}

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <fieldset className="flex flex-col gap-1.5 border-line border-t pt-2">
      <legend className="pr-2 font-semibold font-serif text-[14px]">{title}</legend>
      {children}
    </fieldset>
  );
}

function Line({ text, children }: { text: string; children: React.ReactNode }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
    <label className="flex items-center justify-between gap-3">
      <span>{text}</span>
      {children}
    </label>
  );
}
