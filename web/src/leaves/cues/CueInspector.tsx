import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import type { ReactNode } from "react";
import type { Schemas } from "../../model/api";
import { type Cue, called, type Film, filmed, films, nearestTick, recut, setCue, useFilm } from "../../model/film";
import { hearMusic, keepMusic, takeMusicTime, usePicture, withMusic } from "../../model/picture";
import { computed } from "../../model/queries";
import { set, tell, useApp } from "../../model/store";

import { frameOf, timecode } from "../../model/timecode";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { Cell } from "./Cell";
import { words } from "./words";

const say = words.cueInspector;

type Bar = Schemas["CueBar"];

/** CueInspector is what one cue is made of: its tempo, its metres, markers, hits and anchor. */
export function CueInspector({ film, cue }: { film: Film; cue: Cue }) {
  const { data: bars = [] } = useQuery(filmed.bars(film.id, film.revision, cue.id));
  return (
    <section aria-label={say.cue(called(cue))} className="px-3 py-2" data-part="cue">
      <h3 className="truncate text-[15px]">{called(cue) || say.Cue}</h3>
      <div className="mt-1 flex items-center gap-1">
        {say.bar}
        <Cell
          value={String(cue.bar)}
          label={say.theBarOnItsStart}
          className="w-12 text-right"
          keep={(text) => void setCue(cue.id, { bar: Math.round(Number(text)) || cue.bar })}
        />
        {say.standsOnItsStart}
      </div>
      <Begun cue={cue} />
      <Tempi cue={cue} bars={bars} />
      <Metres cue={cue} />
      <Hits film={film} cue={cue} bars={bars} />
      <Markers film={film} cue={cue} bars={bars} />
      <Anchor film={film} cue={cue} />
      <Music cue={cue} />
      {cue.music?.cut !== film.settings.cut && <Recut cue={cue} />}
    </section>
  );
}

/** Begun tells which version of its template a cue was started from, and opens what has changed
 * since. */
function Begun({ cue }: { cue: Cue }) {
  const sheet = useApp((s) => s.sheet);
  const { data: templates } = useQuery({ ...computed.templates(), staleTime: 60_000 });
  if (!cue.started) return null;
  const here = sheet?.id === cue.template ? sheet : templates?.find((t) => t.id === cue.template);
  const behind = here && cue.version !== undefined && here.revision > cue.version;
  return (
    <p className="mt-1 text-soft" data-part="begun">
      {say.startedOnFrom(
        new Date(cue.started).toLocaleDateString("en-GB", { day: "numeric", month: "short" }),
        here ? say.revision(here.name, cue.version ?? 0) : say.aTemplateThatIsGone,
      )}
      {(cue.took?.length ?? 0) > 0 && say.withLaterChanges(cue.took!.length)}
      {behind && (
        <button type="button" className="link ml-2" onClick={() => set({ dialog: "since-started" })}>
          {say.whatHasChangedSince}
        </button>
      )}
    </p>
  );
}

function Part({ title, children, more }: { title: string; children: ReactNode; more?: ReactNode }) {
  return (
    <div className="mt-3">
      <div className="flex items-center">
        <h4 className="font-semibold font-serif">{title}</h4>
        <span className="ml-auto">{more}</span>
      </div>
      {children}
    </div>
  );
}

function Remove({ label, run }: { label: string; run: () => void }) {
  return (
    <button
      type="button"
      className="grid size-5 shrink-0 place-items-center rounded-[3px] hover:bg-band"
      aria-label={label}
      onClick={run}
    >
      <X size={12} aria-hidden="true" />
    </button>
  );
}

/** placeOf is the bar and beat of a tick, as people write it: "23.2". */
function placeOf(bars: readonly Bar[], tick: number): string {
  const bar = bars.findLast((b) => b.tick <= tick);
  if (!bar) return tick === 0 ? "1" : String(tick);
  const beat = 1 + (tick - bar.tick) / bar.beat;
  return beat === 1 ? String(bar.bar) : `${bar.bar}.${Math.round(beat * 100) / 100}`;
}

/** tickOf reads "23" or "23.2", a bar and a beat; null for a place beyond the cue. */
function tickOf(bars: readonly Bar[], text: string): number | null {
  const m = /^(\d+)(?:[.:](\d+))?$/.exec(text.trim());
  const bar = m && bars.find((b) => b.bar === Number(m[1]));
  if (!bar) return null;
  const beat = Number(m[2] ?? 1);
  return beat >= 1 && beat <= bar.beats.length ? bar.tick + (beat - 1) * bar.beat : null;
}

const beyond = () => tell(say.theCueHasNoSuch, "refused");

function Tempi({ cue, bars }: { cue: Cue; bars: readonly Bar[] }) {
  const put = (tempi: Cue["tempi"]) => void setCue(cue.id, { tempi });
  const bpm = (text: string) => Math.round(Number(text.replace(",", ".")) * 1000);
  return (
    <Part
      title={say.tempo}
      more={
        <button
          type="button"
          className="button h-6"
          onClick={() => {
            const last = cue.tempi.at(-1)!;
            const { at } = films.getState();
            const here = at === null ? undefined : bars.findLast((b) => b.beats[0]! <= at + 1e-6);
            const next =
              here && here.tick > last.tick
                ? here
                : (bars.find((b) => b.bar > cue.bar && b.tick > last.tick) ?? bars.at(-1));
            if (next && next.tick > last.tick) put([...cue.tempi, { tick: next.tick, milliBpm: last.milliBpm }]);
            else beyond();
          }}
        >
          {say.add}
        </button>
      }
    >
      <ul aria-label={say.tempi}>
        {cue.tempi.map((t, n) => (
          <li key={t.tick} className="flex items-center gap-1">
            <span className="text-soft">{say.bar}</span>
            <Cell
              value={placeOf(bars, t.tick)}
              label={say.barOfTempo(n + 1)}
              className="w-14"
              keep={(text) => {
                const tick = tickOf(bars, text);
                if (tick === null) return beyond();
                put(cue.tempi.map((x, k) => (k === n ? { ...x, tick } : x)).sort((a, b) => a.tick - b.tick));
              }}
            />
            <Cell
              value={String(t.milliBpm / 1000)}
              label={say.tempoQuarterNotesAMinute(n + 1)}
              className="w-16 text-right"
              keep={(text) => put(cue.tempi.map((x, k) => (k === n ? { ...x, milliBpm: bpm(text) } : x)))}
            />
            {n + 1 < cue.tempi.length && (
              <label className="flex items-center gap-1 text-soft">
                <input
                  type="checkbox"
                  checked={t.ramp ?? false}
                  onChange={(e) => put(cue.tempi.map((x, k) => (k === n ? { ...x, ramp: e.target.checked } : x)))}
                />
                {say.toTheNext}
              </label>
            )}
            {cue.tempi.length > 1 && (
              <span className="ml-auto">
                <Remove label={say.removeTempo(n + 1)} run={() => put(cue.tempi.filter((_, k) => k !== n))} />
              </span>
            )}
          </li>
        ))}
      </ul>
      <div className="flex items-center gap-1 text-soft">
        {say.mayBeBentBy}
        <Cell
          value={String(cue.bendLimit)}
          label={say.howMuchItsTempoMay}
          className="w-10 text-right"
          keep={(text) => void setCue(cue.id, { bendLimit: Number(text.replace(",", ".")) })}
        />
        %
        <a
          className="link ml-auto"
          href={`/api/productions/${films.getState().film!.id}/cues/${cue.id}/click`}
          title={say.fromItsFirstBarUntil}
          download
        >
          {say.clickAsWav}
        </a>
      </div>
    </Part>
  );
}

function Metres({ cue }: { cue: Cue }) {
  const put = (metres: Cue["metres"]) => void setCue(cue.id, { metres });
  const read = (text: string) => /^(\d+)\s*\/\s*(\d+)$/.exec(text.trim());
  return (
    <Part
      title={say.metre}
      more={
        <button
          type="button"
          className="button h-6"
          onClick={() => {
            const last = cue.metres.at(-1) ?? { bar: 0, beats: 4, unit: 4 };
            put([...cue.metres, { ...last, bar: last.bar + 4 }]);
          }}
        >
          {say.add}
        </button>
      }
    >
      <ul aria-label={say.metres}>
        {cue.metres.map((m, n) => (
          <li key={m.bar} className="flex items-center gap-1">
            <span className="text-soft">{say.bar}</span>
            <Cell
              value={String(m.bar)}
              label={say.barOfMetre(n + 1)}
              className="w-14"
              keep={(text) =>
                put(
                  cue.metres
                    .map((x, k) => (k === n ? { ...x, bar: Math.round(Number(text)) || x.bar } : x))
                    .sort((a, b) => a.bar - b.bar),
                )
              }
            />
            <Cell
              value={`${m.beats}/${m.unit}`}
              label={say.metreN(n + 1)}
              className="w-16 text-right"
              keep={(text) => {
                const got = read(text);
                if (!got) return tell(say.isNotAMetre(text), "refused");
                put(cue.metres.map((x, k) => (k === n ? { ...x, beats: Number(got[1]), unit: Number(got[2]) } : x)));
              }}
            />
            {cue.metres.length > 1 && (
              <span className="ml-auto">
                <Remove label={say.removeMetre(n + 1)} run={() => put(cue.metres.filter((_, k) => k !== n))} />
              </span>
            )}
          </li>
        ))}
      </ul>
    </Part>
  );
}

function Hits({ film, cue, bars }: { film: Film; cue: Cue; bars: readonly Bar[] }) {
  const at = useFilm((s) => s.at);
  const hits = cue.hits ?? [];
  const put = (list: Schemas["CueHit"][]) =>
    void setCue(cue.id, { hits: list.length > 0 ? list.sort((a, b) => a.frame - b.frame) : null });
  const frame = film.settings.frame;
  return (
    <Part
      title={say.hits}
      more={
        <span className="flex gap-1">
          <button
            type="button"
            className="button h-6"
            disabled={at === null}
            title={say.atThePlayhead}
            onClick={() => put([...hits, { frame: at!, weight: 1, tolerance: 2 }])}
          >
            {say.addHere}
          </button>
          <button
            type="button"
            className="button h-6"
            disabled={hits.length === 0}
            onClick={() => set({ dialog: "tempi" })}
          >
            {say.findTempi}
          </button>
        </span>
      }
    >
      <ul aria-label={say.hits}>
        {hits.map((h, n) => (
          <li key={h.frame} className="flex items-center gap-1">
            <Cell
              value={timecode(frame, h.frame)}
              label={say.timeOfHit(n + 1)}
              className="w-[86px]"
              keep={(text) => {
                const to = frameOf(frame, text);
                if (to === null) return tell(say.isNotATimecode(text), "refused");
                put(hits.map((x, k) => (k === n ? { ...x, frame: to } : x)));
              }}
            />
            <Cell
              value={h.name ?? ""}
              label={say.nameOfHit(n + 1)}
              className="flex-1"
              placeholder={say.whatHappens}
              keep={(name) => put(hits.map((x, k) => (k === n ? { ...x, name } : x)))}
            />
            <span title={say.theNearestBeatFramesAfter} className="w-12 text-right text-soft">
              {missOf(bars, h.frame)}
            </span>
            <Cell
              value={String(h.weight)}
              label={say.weightOfHit(n + 1)}
              className="w-8 text-right"
              keep={(text) => put(hits.map((x, k) => (k === n ? { ...x, weight: Number(text.replace(",", ".")) } : x)))}
            />
            <Remove label={say.removeHit(n + 1)} run={() => put(hits.filter((_, k) => k !== n))} />
          </li>
        ))}
      </ul>
    </Part>
  );
}

/** missOf is how many frames the nearest beat comes after a hit, or before it. */
function missOf(bars: readonly Bar[], frame: number): string {
  let best = Number.POSITIVE_INFINITY;
  for (const b of bars) for (const beat of b.beats) if (Math.abs(beat - frame) < Math.abs(best)) best = beat - frame;
  if (!Number.isFinite(best)) return "";
  return Math.abs(best) < 0.05 ? say.onTheFrame : say.frames(best > 0 ? "+" : "−", Math.abs(best).toFixed(1));
}

function Markers({ film, cue, bars }: { film: Film; cue: Cue; bars: readonly Bar[] }) {
  const at = useFilm((s) => s.at);
  const list = cue.markers ?? [];
  const put = (markers: Schemas["CueMarker"][]) =>
    void setCue(cue.id, { markers: markers.length > 0 ? markers : null });
  const frame = film.settings.frame;
  const beat = at === null ? undefined : nearestTick(bars, at);
  return (
    <Part
      title={say.markers}
      more={
        <span className="flex gap-1">
          <button
            type="button"
            className="button h-6"
            disabled={beat === undefined}
            title={say.onTheBeat}
            onClick={() => put([...list, { name: say.marker(list.length + 1), tick: beat! }])}
          >
            {say.OnTheBeat}
          </button>
          <button
            type="button"
            className="button h-6"
            disabled={at === null}
            title={say.atThePlayheadItKeeps}
            onClick={() => put([...list, { name: say.marker(list.length + 1), frame: at! }])}
          >
            {say.onThePicture}
          </button>
        </span>
      }
    >
      <ul aria-label={say.markers}>
        {list.map((m, n) => (
          <li key={n} className="flex items-center gap-1">
            <button
              type="button"
              className="w-[92px] shrink-0 truncate text-left text-soft"
              onClick={() => m.frame !== undefined && films.setState({ at: m.frame })}
            >
              {m.frame === undefined ? say.barBars(placeOf(bars, m.tick ?? 0)) : timecode(frame, m.frame)}
            </button>
            <Cell
              value={m.name}
              label={say.nameOfMarker(n + 1)}
              className="flex-1"
              keep={(name) => put(list.map((x, k) => (k === n ? { ...x, name } : x)))}
            />
            <Remove label={say.removeMarker(n + 1)} run={() => put(list.filter((_, k) => k !== n))} />
          </li>
        ))}
      </ul>
    </Part>
  );
}

/** Music is what the cue plays: kept with it, so that it is heard with the picture, and known who
 * plays in it. */
function Music({ cue }: { cue: Cue }) {
  const heard = usePicture((s) => s.music === cue.id);
  const { music } = cue;
  const apart = useFilm((s) => s.film?.marks.find((m) => m.cue === cue.id && m.code === "music-apart")?.message);
  return (
    <Part
      title={say.music}
      more={
        <span className="flex gap-1">
          {music && (
            <button
              type="button"
              className="button h-6"
              aria-pressed={heard}
              title={say.theStandInsPlay}
              onClick={() => void hearMusic(heard ? null : cue)}
            >
              {heard ? say.closeIt : say.hearIt}
            </button>
          )}
          <ChooseFile
            accept={musicFiles}
            label={say.musicOfTheCue}
            className="h-6"
            take={(f) => void keepMusic(cue, f)}
          >
            {music ? say.anotherFile : say.chooseAFile}
          </ChooseFile>
        </span>
      }
    >
      {apart && (
        <p>
          <span className="text-accent">! {apart}.</span>{" "}
          <button type="button" className="link" onClick={() => void takeMusicTime(cue)}>
            {say.takeItsTempo}
          </button>
        </p>
      )}
      {music && (
        <p className="flex gap-3">
          <button type="button" className="link" onClick={() => void withMusic(cue, "music")}>
            {say.whoPlays}
          </button>
          <button type="button" className="link" onClick={() => void withMusic(cue, "by-bar")}>
            {say.memoryByBar}
          </button>
        </p>
      )}
      {music ? (
        <div className="flex items-center gap-1">
          <a
            className="link truncate"
            href={`/api/productions/${films.getState().film!.id}/cues/${cue.id}/music`}
            download={music.file}
          >
            {music.file}
          </a>
          <span className="ml-auto shrink-0 text-soft">
            {say.parts(music.parts)}, {say.notes(music.notes)}
          </span>
          <Remove label={say.removeTheMusic} run={() => void setCue(cue.id, { music: null })} />
        </div>
      ) : (
        <p className="text-soft">{say.itsMidiOrMusicxmlFile}</p>
      )}
    </Part>
  );
}

/** Recut edits the cue's own MIDI file as the cue followed its cut. */
function Recut({ cue }: { cue: Cue }) {
  const edits = cue.edits ?? [];
  if (edits.length === 0) return null;
  return (
    <Part
      title={say.itsMidiFile}
      more={
        <ChooseFile accept=".mid,.midi" label={say.midiFileOfTheCue} className="h-6" take={(f) => void recut(cue, f)}>
          {say.editIt}
        </ChooseFile>
      }
    >
      <p className="text-soft">{say.theCutChangedItsMusic(edits.length)}</p>
    </Part>
  );
}

function Anchor({ film, cue }: { film: Film; cue: Cue }) {
  const at = useFilm((s) => s.at);
  const frame = film.settings.frame;
  return (
    <Part
      title={say.anchor}
      more={
        <button
          type="button"
          className="button h-6"
          disabled={at === null}
          title={say.whatHappensAtThePlayhead}
          onClick={() => void setCue(cue.id, { anchor: { frame: at!, text: cue.anchor?.text ?? "" } })}
        >
          {say.setHere}
        </button>
      }
    >
      {cue.anchor ? (
        <div className="flex items-center gap-1">
          <span className="text-soft">{timecode(frame, cue.anchor.frame)}</span>
          <Cell
            value={cue.anchor.text}
            label={say.whatTheAnchorIs}
            className="flex-1"
            placeholder={say.whatHappensThere}
            keep={(text) => void setCue(cue.id, { anchor: { ...cue.anchor!, text } })}
          />
          <Remove label={say.removeTheAnchor} run={() => void setCue(cue.id, { anchor: null })} />
        </div>
      ) : (
        <p className="text-soft">{say.itsStartInANew}</p>
      )}
    </Part>
  );
}
