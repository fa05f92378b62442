import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { seen } from "../../model/changing";
import {
  another,
  carrying,
  checked,
  css,
  type Palette,
  palettes,
  readPalette,
  setPalettes,
  show,
  takePalette,
  tintSections,
} from "../../model/palette";
import { get, tell, useApp } from "../../model/store";
import { things, tintNames, tintOf, tintVar } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.paletteDialog;

/** PaletteDialog gives the tints their colours. What is chosen shows at once
 * everywhere, and is kept with the template, or for the studio. */
export function PaletteDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const queries = useQueryClient();
  const { data: all } = useQuery(palettes());
  const [base] = useState(seen);
  const [draft, setDraft] = useState<Palette | undefined>(sheet.settings.palette);
  const now = draft ?? all?.shipped[0];
  useEffect(() => {
    show(draft);
    return () => show(get().sheet?.settings.palette);
  }, [draft]);
  if (!now || !all) return null;
  const keep = async () => {
    if (!(await takePalette(now, base))) return;
    tell(say.coloursThisTemplate(now.name));
    close();
  };
  const forStudio = async () => {
    if (!(await setPalettes([...all.own.filter((p) => p.name !== now.name), now]))) return;
    tell(say.isSavedForTheStudio(now.name));
    await queries.invalidateQueries({ queryKey: ["palettes"] });
  };
  const sections = things(sheet.sections);
  const inUse = new Set([
    ...sections.map((s) => s.tint ?? ""),
    ...things(sheet.instruments).map((i) => i.colour ?? ""),
  ]);
  const take = (p: Palette | undefined) => p && setDraft(carrying(p, now, inUse));
  const whole = (key: "lightness" | "strength", text: string, min: number, max: number, otherwise: number) => (
    <label className="flex items-center gap-3">
      <span className="w-20">{text}</span>
      <input
        type="range"
        className="min-w-0 flex-1"
        aria-label={say.ofThePalette(text)}
        min={min}
        max={max}
        step={0.01}
        value={now[key] ?? otherwise}
        onChange={(e) => setDraft({ ...now, [key]: e.target.valueAsNumber })}
      />
    </label>
  );
  return (
    <Floating title={say.palette} open onOpenChange={close} className="top-[5vh]! max-h-[90vh]! w-[760px]">
      <div className="flex flex-wrap items-center gap-2">
        <select
          className="field w-52"
          aria-label={say.palette}
          value=""
          onChange={(e) => take([...all.shipped, ...all.own][Number(e.target.value)])}
        >
          <option value="">{say.beginWith}</option>
          {[...all.shipped, ...all.own].map((p, n) => (
            <option key={`${p.name} ${n}`} value={n}>
              {p.name}
            </option>
          ))}
        </select>
        <input
          className="field min-w-0 flex-1"
          aria-label={say.nameOfThePalette}
          value={now.name}
          onChange={(e) => setDraft({ ...now, name: e.target.value })}
        />
        <label className="button">
          {say.readAFile}
          <input
            type="file"
            className="sr-only"
            accept=".gpl,.json"
            aria-label={say.paletteFile}
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) void readPalette(file).then(take);
            }}
          />
        </label>
        <a className="button" href={`/api/templates/${sheet.id}/export/palette`} download>
          JSON
        </a>
        <a className="button" href={`/api/templates/${sheet.id}/export/palette-gpl`} download>
          {say.gimpPalette}
        </a>
      </div>
      <div className="mt-3 grid grid-cols-2 gap-6">
        {whole("lightness", say.lightness, -0.15, 0.15, 0)}
        {whole("strength", say.strength, 0, 2, 1)}
      </div>
      <div className="mt-3 max-h-[344px] min-h-[100px] shrink overflow-y-auto">
        <table className="w-full text-left" aria-label={say.tints}>
          <thead className="text-soft">
            <tr>
              <th className="w-10 font-normal" aria-label={say.colour} />
              <th className="font-normal">{say.for}</th>
              <th className="w-44 font-normal">{say.hue}</th>
              <th className="w-44 font-normal">{say.chroma}</th>
              <th className="w-44 font-normal">{say.lightness}</th>
              <th className="w-6" aria-label={say.takeAway} />
            </tr>
          </thead>
          <tbody>
            {now.tints.map((x, n) => {
              const put = (part: Partial<typeof x>) =>
                setDraft({ ...now, tints: now.tints.map((y, m) => (m === n ? { ...y, ...part } : y)) });
              const slide = (key: "hue" | "chroma" | "lightness", max: number, step: number) => (
                <td className="pr-3">
                  <input
                    type="range"
                    className="w-full"
                    aria-label={say.of(key, x.tint)}
                    min={0}
                    max={max}
                    step={step}
                    value={x[key]}
                    onChange={(e) => put({ [key]: e.target.valueAsNumber })}
                  />
                </td>
              );
              return (
                <tr key={x.tint} className="h-8" data-tint={x.tint}>
                  <td>
                    <span className="block size-5 rounded-[3px]" style={{ background: css(now, x) }} />
                  </td>
                  <td className="pr-4">
                    <input
                      className="field h-7 w-36"
                      aria-label={say.labelOf(x.tint)}
                      placeholder={x.tint}
                      value={x.label ?? ""}
                      onChange={(e) => put({ label: e.target.value })}
                    />
                  </td>
                  {slide("hue", 360, 1)}
                  {slide("chroma", 0.2, 0.001)}
                  {slide("lightness", 1, 0.005)}
                  <td className="w-6">
                    {!shipped.has(x.tint) && (
                      <button
                        type="button"
                        className="grid size-6 place-items-center disabled:opacity-40"
                        aria-label={say.takeAwayLabel(x.label || x.tint)}
                        title={inUse.has(x.tint) ? say.itIsInUse : say.removeIt}
                        disabled={inUse.has(x.tint)}
                        onClick={() => setDraft({ ...now, tints: now.tints.filter((_, m) => m !== n) })}
                      >
                        ×
                      </button>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <button
        type="button"
        className="link mt-1 h-6 shrink-0 self-start text-[12px]"
        onClick={() => setDraft({ ...now, tints: [...now.tints, another(now)] })}
      >
        {say.addAColour}
      </button>
      <SectionTints now={now} />
      <Faults now={now} take={setDraft} />
      <div className="mt-3 flex shrink-0 items-center gap-2">
        <button type="button" className="button" onClick={() => void forStudio()}>
          {say.saveForTheStudio}
        </button>
        <span className="text-soft">{say.rowsColouredByHandKeep}</span>
        <button type="button" className="button button-main ml-auto" onClick={() => void keep()}>
          {say.useItHere}
        </button>
      </div>
    </Floating>
  );
}

const shipped: ReadonlySet<string> = new Set(tintNames);

/** SectionTints lists the sections at the top with the colours they take. Each is
 * set at once, as a change of its own. */
function SectionTints({ now }: { now: Palette }) {
  const sheet = useApp((s) => s.sheet)!;
  const known = new Set(sheet.settings.palette?.tints.map((x) => x.tint) ?? tintNames);
  return (
    <fieldset className="mt-2 grid shrink-0 grid-cols-4 gap-x-4 gap-y-1 border-line border-t pt-2">
      <legend className="sr-only">{say.coloursOfTheSections}</legend>
      {things(sheet.sections)
        .filter((s) => !s.parent)
        .map((s) => (
          <label key={s.id} className="flex min-w-0 items-center gap-2">
            <span className="min-w-0 flex-1 truncate" title={s.name}>
              {s.name}
            </span>
            <span className="size-3.5 shrink-0 rounded-[3px]" style={{ background: tintVar(tintOf(sheet, s.id)) }} />
            <select
              className="field h-7 w-20 px-1"
              aria-label={say.colourOf(s.name)}
              value={tintOf(sheet, s.id)}
              onChange={(e) => void tintSections([s.id], e.target.value)}
            >
              {now.tints.map((x) => (
                <option key={x.tint} value={x.tint} disabled={!known.has(x.tint)}>
                  {x.label || x.tint}
                </option>
              ))}
            </select>
          </label>
        ))}
    </fieldset>
  );
}

/** How many faults are listed. */
const shown = 3;

function Faults({ now, take }: { now: Palette; take: (p: Palette) => void }) {
  const revision = useApp((s) => s.sheet!.revision);
  const { data, error } = useQuery(checked(now, revision));
  if (error) return <p className="mt-3 min-h-[70px] text-accent">! {error.message}</p>;
  const faults = data?.faults ?? [];
  return (
    <div className="mt-3 flex min-h-[70px] shrink-0 gap-4 border-line border-t pt-2">
      <div className="min-w-0 flex-1" data-part="palette-faults" aria-live="polite">
        {data && faults.length === 0 && <p className="text-soft">{say.neighbouringColoursCanBeTold}</p>}
        {faults.slice(0, shown).map((f) => (
          <p key={f.message} className="text-accent">
            ! {f.message}
          </p>
        ))}
        {faults.length > shown && <p className="text-soft">{say.andMore(faults.length - shown)}</p>}
        {data?.why && <p className="text-soft">{data.why}</p>}
      </div>
      {faults.length > 0 && data?.mended && (
        <button type="button" className="button self-start" onClick={() => take(data.mended!)}>
          {say.fixIt}
        </button>
      )}
    </div>
  );
}
