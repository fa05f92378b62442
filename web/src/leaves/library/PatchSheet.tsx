import { useEffect, useState } from "react";
import { type Catalogue, editPatches, type Patch, type PatchFields } from "../../model/catalogue";
import { keyName, keyOf } from "../../model/keys";
import { tell } from "../../model/store";

import { Card } from "../../parts/Card";
import { Compare } from "./Compare";
import { clipboard } from "./clipboard";
import { MapEditor } from "./MapEditor";
import { words } from "./words";

const say = words.patchSheet;

/** dynamicsText says what a patch answers to with loudness. */
export const dynamicsText: Record<string, string> = {
  "": say.notKnown,
  none: say.nothing,
  velocity: say.velocity,
  controller: "CC 1",
  "velocity+controller": say.velocityThenCc1,
  "controller+velocity": say.cc1ThenVelocity,
  expression: say.cc11Expression,
  volume: say.cc1Sent,
};

const fieldGrid = "grid grid-cols-[repeat(auto-fill,minmax(104px,1fr))] gap-x-2 gap-y-1.5 mb-2";

const parts = (text: string) =>
  text
    .split(",")
    .map((x) => x.trim())
    .filter(Boolean);

/** PatchSheet is what is known of the chosen patches; what is set, is set of
 * all of them. */
export function PatchSheet({ cat, chosen }: { cat: Catalogue; chosen: Patch[] }) {
  const p = chosen[0]!;
  const many = chosen.length > 1;
  const set = (fields: PatchFields) =>
    void editPatches(
      chosen.map((x) => x.id),
      fields,
      cat.revision,
    );
  const same = <T,>(of: (x: Patch) => T): T | undefined => (chosen.every((x) => of(x) === of(p)) ? of(p) : undefined);
  const held = clipboard.use();
  const roles = same((x) => (x.roles ?? []).join(", "));
  return (
    <section
      aria-label={many ? say.patches(chosen.length) : p.name}
      className="max-h-[62%] shrink-0 overflow-y-auto border-line border-t px-3 py-2"
    >
      <h3 className="mb-1.5 flex items-baseline gap-2 text-[15px]">
        {many ? say.patches(chosen.length) : p.name}
        {many && held && (
          <button type="button" className="button font-normal font-sans" onClick={() => set({ map: held.map })}>
            {say.giveAllTheMapOf(held.name)}
          </button>
        )}
        {!many && (
          <span className="font-normal font-sans text-[12px] text-soft">
            {cat.libraries.find((l) => l.id === p.library)?.name} ·{" "}
            {p.measured ? say.measured : p.source ? say.declaredWhatSounds : say.declared}
          </span>
        )}
      </h3>
      <div className={fieldGrid}>
        <Choice
          label={say.instrument}
          value={same((x) => x.sound ?? "")}
          options={[["", say.notSaid], ...cat.sounds.map((s) => [s.id, s.name] as [string, string])]}
          set={(sound) => set({ sound })}
        />
        <Choice
          label={say.answersTo}
          value={same((x) => x.dynamics ?? "")}
          options={Object.entries(dynamicsText)}
          set={(dynamics) => set({ dynamics })}
        />
        <Keys
          label={say.plays}
          middleC={cat.middleC}
          value={same((x) => `${x.keyLow} ${x.keyHigh}`) ? { low: p.keyLow, high: p.keyHigh } : undefined}
          set={(z) => set({ keyLow: z.low, keyHigh: z.high })}
        />
      </div>
      {!many && (
        <MapEditor
          key={p.id}
          cat={cat}
          patch={p}
          seen={() => cat.revision}
          set={(map, base) => editPatches([p.id], { map }, base)}
        />
      )}
      {chosen.length === 2 && <Compare cat={cat} a={chosen[0]!} b={chosen[1]!} />}
      <details className="my-2" open={many}>
        <summary className="cursor-default text-soft">{say.whatItCostsAndWhat}</summary>
        <div className={`${fieldGrid} mt-1`}>
          {!many && <Text label={say.name} value={p.name} set={(name) => set({ name })} />}
          <Choice
            label={say.library}
            value={same((x) => x.library)}
            options={cat.libraries.map((l) => [l.id, l.name])}
            set={(library) => set({ library })}
          />
          <Choice
            label={say.player}
            value={same((x) => x.player)}
            options={cat.players.map((l) => [l.id, l.name])}
            set={(player) => set({ player })}
          />
          <Figure label={say.readyMib} value={same((x) => x.preloadMib)} set={(preloadMib) => set({ preloadMib })} />
          <Figure label={say.onDiskMib} value={same((x) => x.fullMib)} set={(fullMib) => set({ fullMib })} />
          <Figure
            label={say.roundRobins}
            whole
            value={same((x) => x.roundRobins ?? 0)}
            set={(roundRobins) => set({ roundRobins })}
          />
          <Figure
            label={say.voicesANote}
            whole
            value={same((x) => x.voicesPerNote ?? 0)}
            set={(voicesPerNote) => set({ voicesPerNote })}
          />
          <Text
            label={say.roles}
            value={roles ?? ""}
            mixed={roles === undefined}
            set={(text) => set({ roles: parts(text) })}
          />
          <Choice
            label={say.load}
            value={same((x) => (x.heavy ? "heavy" : "light"))}
            options={Object.entries(say.loads)}
            set={(v) => set({ heavy: v === "heavy" })}
          />
          {!many && (
            <Keys
              label={say.switchZone}
              middleC={cat.middleC}
              value={p.switchZone}
              set={(switchZone) => set({ switchZone })}
              none={() => set({ noSwitchZone: true })}
            />
          )}
          {!many && <Mics patch={p} set={set} />}
        </div>
      </details>
      {!many && <Card sound={cat.sounds.find((s) => s.id === p.sound)} middleC={cat.middleC} />}
    </section>
  );
}

function Label({ text, children }: { text: string; children: React.ReactNode }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is among the children
    <label className="min-w-0">
      <span className="block text-[12px] text-soft">{text}</span>
      {children}
    </label>
  );
}

interface TextProps {
  label: string;
  value: string;
  mixed?: boolean;
  set: (text: string) => void;
  read?: (text: string) => boolean;
}

/** Text is set on Enter or on leaving; Escape leaves it as it was. */
function Text({ label, value, mixed, set }: TextProps) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const keep = () => {
    if (text !== value) set(text);
  };
  return (
    <Label text={label}>
      <input
        className="field w-full min-w-0"
        value={text}
        placeholder={mixed ? say.various : ""}
        onChange={(e) => setText(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => {
          if (e.key === "Enter") keep();
          if (e.key === "Escape") setText(value);
        }}
      />
    </Label>
  );
}

function Figure({
  label,
  value,
  whole,
  set,
}: {
  label: string;
  value: number | undefined;
  whole?: boolean;
  set: (n: number) => void;
}) {
  const shown = value === undefined ? "" : String(Math.round(value * 100) / 100);
  return (
    <Text
      label={label}
      value={shown}
      mixed={value === undefined}
      set={(text) => {
        const n = Number(text);
        if (text.trim() === "" || Number.isNaN(n) || n < 0 || (whole && !Number.isInteger(n)))
          return tell(say.isNotAWholeNumber(label, text, !!whole), "refused");
        set(n);
      }}
    />
  );
}

interface KeysProps {
  label: string;
  value: { low: number; high: number } | undefined;
  middleC: number;
  set: (keys: { low: number; high: number }) => void;
  none?: () => void; // there need not be any
}

/** Keys edits a run of keys, as "C3 to C6". */
function Keys({ label, value, middleC, set, none }: KeysProps) {
  return (
    <Text
      label={label}
      value={value ? `${keyName(value.low, middleC)} to ${keyName(value.high, middleC)}` : ""}
      mixed={value === undefined && !none}
      set={(text) => {
        if (none && text.trim() === "") return none();
        const [low, high] = text.split(/\s+to\s+/i).map((t) => keyOf(t, middleC));
        if (typeof low !== "number" || typeof high !== "number") return tell(say.isNotARun(label, text), "refused");
        set({ low, high });
      }}
    />
  );
}

function Choice({
  label,
  value,
  options,
  set,
}: {
  label: string;
  value: string | undefined;
  options: [string, string][];
  set: (v: string) => void;
}) {
  const known = value === undefined || options.some(([v]) => v === value);
  return (
    <Label text={label}>
      <select className="field w-full min-w-0" value={value ?? "various"} onChange={(e) => set(e.target.value)}>
        {value === undefined && <option value="various">{say.various}</option>}
        {!known && <option value={value}>{value}</option>}
        {options.map(([v, text]) => (
          <option key={v} value={v}>
            {text}
          </option>
        ))}
      </select>
    </Label>
  );
}

/** Mics edits the microphone positions as text: "close 120/900, hall 80/700 off". */
function Mics({ patch, set }: { patch: Patch; set: (f: PatchFields) => void }) {
  const shown = (patch.mics ?? [])
    .map((m) => `${m.name} ${m.preloadMib}/${m.fullMib}${m.off ? say.off : ""}`)
    .join(", ");
  return (
    <div className="col-span-2 min-w-0">
      <Text
        label={say.microphonesNameReadyOnDisk}
        value={shown}
        set={(text) => {
          const mics = [];
          for (const part of parts(text)) {
            const m = /^(.+?)\s+([\d.]+)\/([\d.]+)(\s+off)?$/.exec(part);
            if (!m) return tell(say.isNotAMicrophoneWrite(part), "refused");
            mics.push({ name: m[1]!, preloadMib: Number(m[2]), fullMib: Number(m[3]), ...(m[4] ? { off: true } : {}) });
          }
          set({ mics });
        }}
      />
    </div>
  );
}
