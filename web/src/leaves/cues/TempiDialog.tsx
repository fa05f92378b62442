import { useState } from "react";
import type { Schemas } from "../../model/api";
import { called, type Film, filmed, findTempi, setCue, type Tempi, useFilm } from "../../model/film";
import { tell } from "../../model/store";

import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.tempiDialog;

type Found = Tempi["steady"][number];
type Mapped = Tempi["maps"][number];

/** TempiDialog finds tempi whose beats fall on the hits of a cue. */
export function TempiDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const chosen = useFilm((s) => s.chosen);
  const cue = film?.cues.find((c) => chosen.has(c.id));
  const [low, setLow] = useState("60");
  const [high, setHigh] = useState("160");
  const [ways, setWays] = useState("0");
  const [maps, setMaps] = useState(false);
  const [found, setFound] = useState<Tempi | null>(null);
  if (!film || !cue) return null;
  const beats = cue.metres[0]?.beats ?? 4;
  const find = async () => {
    const figure = (text: string) => Number(text.replace(",", "."));
    const ask = { cue: cue.id, low: figure(low), high: figure(high), ways: figure(ways), beats };
    const got = await findTempi(maps ? { ...ask, ratio: 1.15 } : ask);
    if (got) setFound(got);
  };
  const take = async (f: Found) => {
    const start = cue.start + Math.round(f.shift);
    const fields = {
      tempi: [{ tick: 0, milliBpm: Math.round(f.bpm * 1000) }],
      ...(start !== cue.start ? { start } : {}),
    };
    if (await setCue(cue.id, fields)) {
      tell(say.runsAt(called(cue), f.bpm));
      close();
    }
  };
  const takeMap = async (m: Mapped) => {
    const bars = await fetchBars(film, cue.id);
    const start = bars.find((b) => b.bar === cue.bar)?.tick ?? 0;
    let tick = start;
    const tempi = m.legs.map((l) => {
      const point = { tick, milliBpm: Math.round(l.bpm * 1000) };
      tick += l.beats * 960;
      return point;
    });
    if (start > 0) tempi.unshift({ tick: 0, milliBpm: tempi[0]!.milliBpm });
    if (await setCue(cue.id, { tempi })) {
      tell(say.meetsOfItsHits(called(cue), m.met));
      close();
    }
  };
  return (
    <Floating title={say.tempiFor(called(cue))} open onOpenChange={close} className="w-[760px]">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        {say.from}
        <input
          className="field w-16"
          aria-label={say.slowestTempo}
          value={low}
          onChange={(e) => setLow(e.target.value)}
        />
        {say.to}
        <input
          className="field w-16"
          aria-label={say.fastestTempo}
          value={high}
          onChange={(e) => setHigh(e.target.value)}
        />
        {say.theStartMayShiftBy}
        <input
          className="field w-12"
          aria-label={say.framesByWhichTheStart}
          value={ways}
          onChange={(e) => setWays(e.target.value)}
        />
        {say.frames}
        <label className="flex items-center gap-1">
          <input type="checkbox" checked={maps} onChange={(e) => setMaps(e.target.checked)} />
          {say.theTempoMayChange}
        </label>
        <button type="button" className="button button-main ml-auto" onClick={() => void find()}>
          {say.find}
        </button>
      </div>
      {found && (
        <div className="min-h-0 overflow-y-auto">
          <table className="w-full border-collapse" data-part="tempi">
            <thead>
              <tr className="text-left text-soft">
                <th className="py-1 font-normal">{say.tempo}</th>
                <th className="font-normal" title={say.framesAndEighths}>
                  {say.Frames}
                </th>
                <th className="font-normal">{say.meets}</th>
                <th className="font-normal">{say.theBeatAfterEachHit}</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {found.steady.map((f) => (
                <tr key={f.bpm} className="border-line border-t">
                  <td className="py-1 font-semibold">{f.bpm.toFixed(2)}</td>
                  <td>{f.click}</td>
                  <td>{say.of(f.met, f.errors.length)}</td>
                  <td>
                    <Misses list={f.errors} />
                  </td>
                  <td className="text-right">
                    <button type="button" className="button h-6" onClick={() => void take(f)}>
                      {say.take}
                    </button>
                  </td>
                </tr>
              ))}
              {found.maps.map((m, n) => (
                <tr key={n} className="border-line border-t">
                  <td className="py-1 font-semibold">{m.legs.map((l) => l.bpm.toFixed(1)).join(" → ")}</td>
                  <td className="text-soft">{say.changes(m.changes)}</td>
                  <td>{say.of(m.met, m.errors.length)}</td>
                  <td>
                    <Misses list={m.errors} />
                  </td>
                  <td className="text-right">
                    <button type="button" className="button h-6" onClick={() => void takeMap(m)}>
                      {say.take}
                    </button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {found.steady.length + found.maps.length === 0 && <p>{say.noTempoInTheseBounds}</p>}
        </div>
      )}
    </Floating>
  );
}

const fetchBars = async (film: Film, cue: string) => {
  const ask = filmed.bars(film.id, film.revision, cue).queryFn as () => Promise<Schemas["CueBar"][]>;
  return ask();
};

function Misses({ list }: { list: readonly Schemas["CueHitMiss"][] }) {
  return (
    <span className="flex flex-wrap gap-x-2">
      {list.map((m, n) => (
        <span key={n} className={m.met ? "" : "text-accent"} title={say.barBeat(m.place.bar, m.place.beat)}>
          {Math.abs(m.frames) < 0.05 ? "0" : `${m.frames > 0 ? "+" : "−"}${Math.abs(m.frames).toFixed(1)}`}
        </span>
      ))}
    </span>
  );
}
