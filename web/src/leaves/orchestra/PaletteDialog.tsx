import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { seen } from "../../model/changing";
import { checked, css, type Palette, palettes, readPalette, setPalettes, show, takePalette } from "../../model/palette";
import { get, tell, useApp } from "../../model/store";
import { plural, things, tintOf } from "../../model/template";
import { Floating } from "../../shell/Floating";

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
    tell(`${now.name} colours this template.`);
    close();
  };
  const forStudio = async () => {
    if (!(await setPalettes([...all.own.filter((p) => p.name !== now.name), now]))) return;
    tell(`${now.name} is kept for the studio.`);
    await queries.invalidateQueries({ queryKey: ["palettes"] });
  };
  const used = (tint: string) =>
    things(sheet.sections)
      .filter((s) => !s.parent && tintOf(sheet, s.id) === tint)
      .map((s) => s.name)
      .join(", ");
  const whole = (key: "lightness" | "strength", text: string, min: number, max: number, otherwise: number) => (
    <label className="flex items-center gap-3">
      <span className="w-20">{text}</span>
      <input
        type="range"
        className="min-w-0 flex-1"
        aria-label={`${text} of the palette`}
        min={min}
        max={max}
        step={0.01}
        value={now[key] ?? otherwise}
        onChange={(e) => setDraft({ ...now, [key]: e.target.valueAsNumber })}
      />
    </label>
  );
  return (
    <Floating title="Palette" open onOpenChange={close} className="w-[720px]">
      <div className="flex flex-wrap items-center gap-2">
        <select
          className="field w-52"
          aria-label="Palette"
          value=""
          onChange={(e) => setDraft([...all.shipped, ...all.own][Number(e.target.value)])}
        >
          <option value="">begin with…</option>
          {[...all.shipped, ...all.own].map((p, n) => (
            <option key={`${p.name} ${n}`} value={n}>
              {p.name}
            </option>
          ))}
        </select>
        <input
          className="field min-w-0 flex-1"
          aria-label="Name of the palette"
          value={now.name}
          onChange={(e) => setDraft({ ...now, name: e.target.value })}
        />
        <label className="button">
          Read a file…
          <input
            type="file"
            className="sr-only"
            accept=".gpl,.json"
            aria-label="Palette file"
            onChange={(e) => {
              const file = e.target.files?.[0];
              e.target.value = "";
              if (file) void readPalette(file).then((p) => p && setDraft(p));
            }}
          />
        </label>
        <a className="button" href={`/api/templates/${sheet.id}/palette/json`} download>
          JSON
        </a>
        <a className="button" href={`/api/templates/${sheet.id}/palette/gpl`} download>
          GIMP palette
        </a>
      </div>
      <div className="mt-3 grid grid-cols-2 gap-6">
        {whole("lightness", "Lightness", -0.15, 0.15, 0)}
        {whole("strength", "Strength", 0, 2, 1)}
      </div>
      <table className="mt-3 w-full text-left" aria-label="Tints">
        <thead className="text-soft">
          <tr>
            <th className="w-10 font-normal" aria-label="Colour" />
            <th className="font-normal">For</th>
            <th className="font-normal">Sections</th>
            <th className="w-32 font-normal">Hue</th>
            <th className="w-32 font-normal">Chroma</th>
            <th className="w-32 font-normal">Lightness</th>
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
                  aria-label={`${key} of ${x.tint}`}
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
                <td>
                  <input
                    className="field h-7 w-28"
                    aria-label={`Label of ${x.tint}`}
                    placeholder={x.tint}
                    value={x.label ?? ""}
                    onChange={(e) => put({ label: e.target.value })}
                  />
                </td>
                <td className="max-w-40 truncate text-soft" title={used(x.tint)}>
                  {used(x.tint)}
                </td>
                {slide("hue", 360, 1)}
                {slide("chroma", 0.2, 0.001)}
                {slide("lightness", 1, 0.005)}
              </tr>
            );
          })}
        </tbody>
      </table>
      <Faults now={now} take={setDraft} />
      <div className="mt-3 flex items-center gap-2">
        <button type="button" className="button" onClick={() => void forStudio()}>
          Keep for the studio
        </button>
        <span className="text-soft">Rows coloured by hand keep their tint.</span>
        <button type="button" className="button button-main ml-auto" onClick={() => void keep()}>
          Use it here
        </button>
      </div>
    </Floating>
  );
}

/** How many faults are listed. */
const shown = 4;

function Faults({ now, take }: { now: Palette; take: (p: Palette) => void }) {
  const revision = useApp((s) => s.sheet!.revision);
  const { data, error } = useQuery(checked(now, revision));
  if (error) return <p className="mt-3 min-h-[90px] text-accent">! {error.message}</p>;
  const faults = data?.faults ?? [];
  return (
    <div className="mt-3 min-h-[90px] border-line border-t pt-2" data-part="palette-faults" aria-live="polite">
      {data && faults.length === 0 && (
        <p className="text-soft">
          Neighbours are told apart in usual, protan, deutan and tritan vision, text reads on every tint, nothing is too
          strong.
        </p>
      )}
      {faults.slice(0, shown).map((f) => (
        <p key={f.message} className="text-accent">
          ! {f.message}
        </p>
      ))}
      {faults.length > shown && <p className="text-soft">and {plural(faults.length - shown, "more", "more")}</p>}
      {faults.length > 0 && data?.mended && (
        <button type="button" className="button mt-2" onClick={() => take(data.mended!)}>
          Mend it
        </button>
      )}
      {data?.why && <p className="text-soft">{data.why}</p>}
    </div>
  );
}
