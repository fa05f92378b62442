import { type FormEvent, useState } from "react";
import { type CueOp, edit, type Film, useFilm } from "../../model/film";
import { tell } from "../../model/store";
import { frameOf, timecode } from "../../model/timecode";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.settingsDialog;

const sampleRates = [44_100, 48_000, 88_200, 96_000];

/** SettingsDialog sets what holds for a whole production, in one change. */
export function SettingsDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  return film && <Settings film={film} close={close} />;
}

function Settings({ film, close }: { film: Film; close: () => void }) {
  const s = film.settings;
  const [name, setName] = useState(s.name);
  const [numbering, setNumbering] = useState(s.numbering);
  const [files, setFiles] = useState(s.files);
  const [statuses, setStatuses] = useState(s.statuses.join("\n"));
  const [rateHz, setRateHz] = useState(s.rateHz);
  const [begin, setBegin] = useState(s.begin);
  const [reels, setReels] = useState(
    film.reels.map((r) => ({ id: r.id, name: r.name, start: timecode(s.frame, r.start) })),
  );
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    const list = statuses
      .split("\n")
      .map((x) => x.trim())
      .filter(Boolean);
    const fields = Object.entries({
      name: name.trim(),
      numbering: numbering.trim(),
      files: files.trim(),
      statuses: list,
      rateHz,
      begin,
    }).filter(([key, to]) => JSON.stringify(to) !== JSON.stringify(s[key as keyof typeof s]));
    const ops: CueOp[] = fields.length > 0 ? [{ kind: "production", set: Object.fromEntries(fields) as never }] : [];
    for (const [from, to] of renamed(s.statuses, list))
      for (const c of film.cues)
        if (c.status === from) ops.push({ kind: "cue", id: c.id, set: { status: to } as never });
    for (const r of reels) {
      const was = film.reels.find((x) => x.id === r.id)!;
      const start = frameOf(s.frame, r.start);
      if (start === null) return tell(say.isNotATimecode(r.start, s.rate), "refused");
      if (start !== was.start || r.name.trim() !== was.name)
        ops.push({ kind: "reel", id: r.id, set: { name: r.name.trim(), start } as never });
    }
    if (ops.length === 0 || (await edit(ops, say.setUp(name.trim())))) close();
  };
  const set = (id: string, to: { name?: string; start?: string }) =>
    setReels(reels.map((r) => (r.id === id ? { ...r, ...to } : r)));
  return (
    <Floating title={say.settingsOf(s.name)} open onOpenChange={close} className="w-[520px]">
      <form onSubmit={(e) => void keep(e)} className="grid grid-cols-[auto_1fr] items-start gap-x-4 gap-y-2">
        <label htmlFor="set-name">{say.name}</label>
        <input id="set-name" className="field" value={name} maxLength={200} onChange={(e) => setName(e.target.value)} />
        <span>{say.framesASecond}</span>
        <span>{s.rate}</span>
        <label htmlFor="set-hz">{say.samplesASecond}</label>
        <select id="set-hz" className="field" value={rateHz} onChange={(e) => setRateHz(Number(e.target.value))}>
          {[...new Set([...sampleRates, rateHz])].map((r) => (
            <option key={r} value={r}>
              {r.toLocaleString("en-GB")}
            </option>
          ))}
        </select>
        <label htmlFor="set-numbering">{say.cueNumbers}</label>
        <div>
          <input
            id="set-numbering"
            className="field w-full"
            value={numbering}
            maxLength={60}
            onChange={(e) => setNumbering(e.target.value)}
          />
          <div className="text-soft">{say.reelMNumber2Gives}</div>
        </div>
        <label htmlFor="set-files">{say.printedFiles}</label>
        <div>
          <input
            id="set-files"
            className="field w-full"
            value={files}
            maxLength={200}
            placeholder={say.cueTitleVersionStem}
            onChange={(e) => setFiles(e.target.value)}
          />
          <div className="text-soft">{say.howStemsAndMixes}</div>
        </div>
        <label htmlFor="set-statuses">{say.statuses}</label>
        <div>
          <textarea
            id="set-statuses"
            className="field h-[150px] w-full"
            value={statuses}
            onChange={(e) => setStatuses(e.target.value)}
          />
          <div className="text-soft">{say.onePerLineInOrder}</div>
        </div>
        <label htmlFor="set-begin">{say.plannedFrom}</label>
        <div>
          <input
            id="set-begin"
            type="date"
            className="field"
            value={begin}
            onChange={(e) => setBegin(e.target.value)}
          />
          <span className="ml-2 text-soft">{begin ? "" : say.fromToday}</span>
        </div>
        {reels.length > 0 && <span>{say.reels}</span>}
        <div>
          {reels.map((r, n) => (
            <div key={r.id} className="mb-1 flex items-center gap-2">
              <input
                className="field w-16"
                aria-label={say.nameOfReel(n + 1)}
                value={r.name}
                maxLength={200}
                onChange={(e) => set(r.id, { name: e.target.value })}
              />
              {say.beginsAt}
              <input
                className="field w-28"
                aria-label={say.startOfReel(n + 1)}
                value={r.start}
                onChange={(e) => set(r.id, { start: e.target.value })}
              />
            </div>
          ))}
        </div>
        <div className="col-span-2 mt-2 flex justify-end gap-2">
          <button type="button" className="button" onClick={close}>
            {say.cancel}
          </button>
          <button type="submit" className="button button-main" disabled={name.trim() === ""}>
            {say.save}
          </button>
        </div>
      </form>
    </Floating>
  );
}

/** renamed are the statuses that have another name in the same place of a list as long. */
function renamed(old: readonly string[], now: readonly string[]): [string, string][] {
  if (old.length !== now.length) return [];
  return old.flatMap((from, n) =>
    now.includes(from) || old.includes(now[n]!) ? [] : [[from, now[n]!] as [string, string]],
  );
}
