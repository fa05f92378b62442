import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import type { ReactNode } from "react";
import type { Schemas } from "../../model/api";
import { type Cue, called, type Film, filmed, films, nearestTick, recut, setCue, useFilm } from "../../model/film";
import { hearMusic, keepMusic, takeMusicTime, usePicture, withMusic } from "../../model/picture";
import { computed } from "../../model/queries";
import { set, tell, useApp } from "../../model/store";
import { plural } from "../../model/template";
import { frameOf, timecode } from "../../model/timecode";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { Cell } from "./Cell";

type Bar = Schemas["CueBar"];

/** CueInspector is what one cue is made of: its tempo, its metres, markers, hits and anchor. */
export function CueInspector({ film, cue }: { film: Film; cue: Cue }) {
  const { data: bars = [] } = useQuery(filmed.bars(film.id, film.revision, cue.id));
  return (
    <section aria-label={`Cue ${called(cue)}`} className="px-3 py-2" data-part="cue">
      <h3 className="truncate text-[15px]">{called(cue) || "Cue"}</h3>
      <div className="mt-1 flex items-center gap-1">
        bar
        <Cell
          value={String(cue.bar)}
          label="The bar on its start"
          className="w-12 text-right"
          keep={(text) => void setCue(cue.id, { bar: Math.round(Number(text)) || cue.bar })}
        />
        stands on its start
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
      started on {new Date(cue.started).toLocaleDateString("en-GB", { day: "numeric", month: "short" })} from{" "}
      {here ? `${here.name}, revision ${cue.version}` : "a template that is gone"}
      {(cue.took?.length ?? 0) > 0 && `, with ${plural(cue.took!.length, "later change")}`}
      {behind && (
        <button type="button" className="link ml-2" onClick={() => set({ dialog: "since-started" })}>
          What has changed since
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

const beyond = () => tell("The cue has no such bar or beat.", "refused");

function Tempi({ cue, bars }: { cue: Cue; bars: readonly Bar[] }) {
  const put = (tempi: Cue["tempi"]) => void setCue(cue.id, { tempi });
  const bpm = (text: string) => Math.round(Number(text.replace(",", ".")) * 1000);
  return (
    <Part
      title="Tempo"
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
          Add
        </button>
      }
    >
      <ul aria-label="Tempi">
        {cue.tempi.map((t, n) => (
          <li key={t.tick} className="flex items-center gap-1">
            <span className="text-soft">bar</span>
            <Cell
              value={placeOf(bars, t.tick)}
              label={`Bar of tempo ${n + 1}`}
              className="w-14"
              keep={(text) => {
                const tick = tickOf(bars, text);
                if (tick === null) return beyond();
                put(cue.tempi.map((x, k) => (k === n ? { ...x, tick } : x)).sort((a, b) => a.tick - b.tick));
              }}
            />
            <Cell
              value={String(t.milliBpm / 1000)}
              label={`Tempo ${n + 1}, quarter notes a minute`}
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
                to the next
              </label>
            )}
            {cue.tempi.length > 1 && (
              <span className="ml-auto">
                <Remove label={`Remove tempo ${n + 1}`} run={() => put(cue.tempi.filter((_, k) => k !== n))} />
              </span>
            )}
          </li>
        ))}
      </ul>
      <div className="flex items-center gap-1 text-soft">
        may be bent by
        <Cell
          value={String(cue.bendLimit)}
          label="How much its tempo may be bent, %"
          className="w-10 text-right"
          keep={(text) => void setCue(cue.id, { bendLimit: Number(text.replace(",", ".")) })}
        />
        %
        <a
          className="link ml-auto"
          href={`/api/productions/${films.getState().film!.id}/cues/${cue.id}/click`}
          title="From its first bar until its end; the file says at which timecode it begins"
          download
        >
          Click as WAV
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
      title="Metre"
      more={
        <button
          type="button"
          className="button h-6"
          onClick={() => {
            const last = cue.metres.at(-1) ?? { bar: 0, beats: 4, unit: 4 };
            put([...cue.metres, { ...last, bar: last.bar + 4 }]);
          }}
        >
          Add
        </button>
      }
    >
      <ul aria-label="Metres">
        {cue.metres.map((m, n) => (
          <li key={m.bar} className="flex items-center gap-1">
            <span className="text-soft">bar</span>
            <Cell
              value={String(m.bar)}
              label={`Bar of metre ${n + 1}`}
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
              label={`Metre ${n + 1}`}
              className="w-16 text-right"
              keep={(text) => {
                const got = read(text);
                if (!got) return tell(`“${text}” is not a metre; it is written as 3/4.`, "refused");
                put(cue.metres.map((x, k) => (k === n ? { ...x, beats: Number(got[1]), unit: Number(got[2]) } : x)));
              }}
            />
            {cue.metres.length > 1 && (
              <span className="ml-auto">
                <Remove label={`Remove metre ${n + 1}`} run={() => put(cue.metres.filter((_, k) => k !== n))} />
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
      title="Hits"
      more={
        <span className="flex gap-1">
          <button
            type="button"
            className="button h-6"
            disabled={at === null}
            title="At the playhead"
            onClick={() => put([...hits, { frame: at!, weight: 1, tolerance: 2 }])}
          >
            Add here
          </button>
          <button
            type="button"
            className="button h-6"
            disabled={hits.length === 0}
            onClick={() => set({ dialog: "tempi" })}
          >
            Find tempi…
          </button>
        </span>
      }
    >
      <ul aria-label="Hits">
        {hits.map((h, n) => (
          <li key={h.frame} className="flex items-center gap-1">
            <Cell
              value={timecode(frame, h.frame)}
              label={`Time of hit ${n + 1}`}
              className="w-[86px]"
              keep={(text) => {
                const to = frameOf(frame, text);
                if (to === null) return tell(`“${text}” is not a timecode.`, "refused");
                put(hits.map((x, k) => (k === n ? { ...x, frame: to } : x)));
              }}
            />
            <Cell
              value={h.name ?? ""}
              label={`Name of hit ${n + 1}`}
              className="flex-1"
              placeholder="what happens"
              keep={(name) => put(hits.map((x, k) => (k === n ? { ...x, name } : x)))}
            />
            <span title="The nearest beat, frames after it" className="w-12 text-right text-soft">
              {missOf(bars, h.frame)}
            </span>
            <Cell
              value={String(h.weight)}
              label={`Weight of hit ${n + 1}`}
              className="w-8 text-right"
              keep={(text) => put(hits.map((x, k) => (k === n ? { ...x, weight: Number(text.replace(",", ".")) } : x)))}
            />
            <Remove label={`Remove hit ${n + 1}`} run={() => put(hits.filter((_, k) => k !== n))} />
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
  return Math.abs(best) < 0.05 ? "0 f" : `${best > 0 ? "+" : "−"}${Math.abs(best).toFixed(1)} f`;
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
      title="Markers"
      more={
        <span className="flex gap-1">
          <button
            type="button"
            className="button h-6"
            disabled={beat === undefined}
            title="On the beat at the playhead; it keeps its bar"
            onClick={() => put([...list, { name: `Marker ${list.length + 1}`, tick: beat! }])}
          >
            On the beat
          </button>
          <button
            type="button"
            className="button h-6"
            disabled={at === null}
            title="At the playhead; it keeps its time"
            onClick={() => put([...list, { name: `Marker ${list.length + 1}`, frame: at! }])}
          >
            On the picture
          </button>
        </span>
      }
    >
      <ul aria-label="Markers">
        {list.map((m, n) => (
          <li key={n} className="flex items-center gap-1">
            <button
              type="button"
              className="w-[92px] shrink-0 truncate text-left text-soft"
              onClick={() => m.frame !== undefined && films.setState({ at: m.frame })}
            >
              {m.frame === undefined ? `bar ${placeOf(bars, m.tick ?? 0)}` : timecode(frame, m.frame)}
            </button>
            <Cell
              value={m.name}
              label={`Name of marker ${n + 1}`}
              className="flex-1"
              keep={(name) => put(list.map((x, k) => (k === n ? { ...x, name } : x)))}
            />
            <Remove label={`Remove marker ${n + 1}`} run={() => put(list.filter((_, k) => k !== n))} />
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
      title="Music"
      more={
        <span className="flex gap-1">
          {music && (
            <button
              type="button"
              className="button h-6"
              aria-pressed={heard}
              title="The stand-ins play it through the open template, and the picture goes with it"
              onClick={() => void hearMusic(heard ? null : cue)}
            >
              {heard ? "Close it" : "Hear it"}
            </button>
          )}
          <ChooseFile accept={musicFiles} label="Music of the cue" className="h-6" take={(f) => void keepMusic(cue, f)}>
            {music ? "Another file…" : "Choose a file…"}
          </ChooseFile>
        </span>
      }
    >
      {apart && (
        <p>
          <span className="text-accent">! {apart}.</span>{" "}
          <button type="button" className="link" onClick={() => void takeMusicTime(cue)}>
            Take its tempo
          </button>
        </p>
      )}
      {music && (
        <p className="flex gap-3">
          <button type="button" className="link" onClick={() => void withMusic(cue, "music")}>
            Who plays…
          </button>
          <button type="button" className="link" onClick={() => void withMusic(cue, "by-bar")}>
            Memory by bar…
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
            {plural(music.parts, "part")}, {plural(music.notes, "note")}
          </span>
          <Remove label="Remove the music" run={() => void setCue(cue.id, { music: null })} />
        </div>
      ) : (
        <p className="text-soft">
          Its MIDI or MusicXML file, or its session: then it is known who plays, and who never does.
        </p>
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
      title="Its MIDI file"
      more={
        <ChooseFile accept=".mid,.midi" label="MIDI file of the cue" className="h-6" take={(f) => void recut(cue, f)}>
          Edit it…
        </ChooseFile>
      }
    >
      <p className="text-soft">
        The cut changed its music in {edits.length === 1 ? "one place" : `${edits.length} places`}. Give the file as it
        was before: notes across a seam are shortened, controllers follow.
      </p>
    </Part>
  );
}

function Anchor({ film, cue }: { film: Film; cue: Cue }) {
  const at = useFilm((s) => s.at);
  const frame = film.settings.frame;
  return (
    <Part
      title="Anchor"
      more={
        <button
          type="button"
          className="button h-6"
          disabled={at === null}
          title="What happens at the playhead is what the cue stays on in a new cut"
          onClick={() => void setCue(cue.id, { anchor: { frame: at!, text: cue.anchor?.text ?? "" } })}
        >
          Set here
        </button>
      }
    >
      {cue.anchor ? (
        <div className="flex items-center gap-1">
          <span className="text-soft">{timecode(frame, cue.anchor.frame)}</span>
          <Cell
            value={cue.anchor.text}
            label="What the anchor is"
            className="flex-1"
            placeholder="what happens there"
            keep={(text) => void setCue(cue.id, { anchor: { ...cue.anchor!, text } })}
          />
          <Remove label="Remove the anchor" run={() => void setCue(cue.id, { anchor: null })} />
        </div>
      ) : (
        <p className="text-soft">Its start: in a new cut, the cue stays on the picture there.</p>
      )}
    </Part>
  );
}
