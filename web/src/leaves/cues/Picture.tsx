import { useQuery } from "@tanstack/react-query";
import { Maximize2, Minimize2, Pause, Play, SkipBack, StepBack, StepForward } from "lucide-react";
import { type ReactNode, useEffect } from "react";
import type { Id } from "../../model/api";
import { type Film, filmed, films, type Reel, useFilm } from "../../model/film";
import {
  choose,
  filmOf,
  frameShown,
  goBy,
  picture,
  reelAt,
  showAt,
  stop,
  toggle,
  usePicture,
} from "../../model/picture";
import { timecode } from "../../model/timecode";
import { Running } from "./Running";
import { Stage } from "./Stage";
import { words } from "./words";

const say = words.picture;

/** Picture plays the picture of the present cut, with bars, markers and hits running over it; beside
 * it that of another cut, at the place where the same picture was. */
export function Picture({ film }: { film: Film }) {
  const at = useFilm((s) => s.at);
  useFilm((s) => s.chosen); // says which frame is meant where there is no playhead
  const beside = usePicture((s) => s.beside);
  useEffect(() => stop, []); // it plays only while it shows
  const cut = film.settings.cut;
  const reel = reelAt(film, at);
  if (!reel) return null;
  const now = frameShown(film, reel, at);
  const movie = filmOf(film, cut, reel.id);
  const other = film.cuts.find((c) => c.id === beside && c.id !== cut);
  return (
    <section aria-label={say.picture} className="shrink-0 border-line border-b p-2" data-part="picture" data-at={now}>
      <div className="relative aspect-video w-full overflow-hidden rounded-[3px] bg-black">
        <Stage film={film} cut={cut} reel={reel} at={now} leads />
        <Running film={film} reel={reel} at={now} />
      </div>
      <Transport film={film} reel={reel} at={now} />
      <div className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
        <Tick is="click">{say.click}</Tick>
        {movie && (movie.footage.soundMs ?? 0) > 0 && <Guide />}
        {film.cuts.length > 1 && (
          <select
            className="field ml-auto h-6 max-w-36"
            aria-label={say.compareWith}
            value={other?.id ?? ""}
            onChange={(e) => picture.setState({ beside: e.target.value || null })}
          >
            <option value="">{say.noOtherCut}</option>
            {film.cuts
              .filter((c) => c.id !== cut)
              .map((c) => (
                <option key={c.id} value={c.id}>
                  {say.beside(c.name)}
                </option>
              ))}
          </select>
        )}
      </div>
      {other && <Beside film={film} cut={other.id} name={other.name} reel={reel} at={now} />}
    </section>
  );
}

function Transport({ film, reel, at }: { film: Film; reel: Reel; at: number }) {
  const playing = usePicture((s) => s.playing);
  const large = usePicture((s) => s.large);
  const back = () => {
    const cue = film.cues.find((c) => films.getState().chosen.has(c.id) && c.reel === reel.id);
    showAt(cue && at > cue.start ? cue.start : reel.start);
  };
  return (
    <div className="mt-1 flex items-center gap-1">
      <Act label={say.backToTheStart} run={back}>
        <SkipBack size={13} />
      </Act>
      <Act label={say.oneFrameBack} run={() => goBy(-1)}>
        <StepBack size={13} />
      </Act>
      <Act label={playing ? say.stop : say.play} run={toggle} main>
        {playing ? <Pause size={14} /> : <Play size={14} />}
      </Act>
      <Act label={say.oneFrameOn} run={() => goBy(1)}>
        <StepForward size={13} />
      </Act>
      <span className="ml-2 text-[15px]" data-part="picture-time">
        {timecode(film.settings.frame, at)}
      </span>
      <span className="ml-auto">
        <Act label={large ? say.smallerPicture : say.largerPicture} run={() => choose({ large: !large })}>
          {large ? <Minimize2 size={13} /> : <Maximize2 size={13} />}
        </Act>
      </span>
    </div>
  );
}

function Act({ label, run, main, children }: { label: string; run: () => void; main?: boolean; children: ReactNode }) {
  return (
    <button
      type="button"
      className={`button grid h-6 place-items-center px-0 ${main ? "w-10" : "w-7"}`}
      aria-label={label}
      title={label}
      onClick={run}
    >
      {children}
    </button>
  );
}

function Tick({ is, children }: { is: "click" | "sound"; children: ReactNode }) {
  const on = usePicture((s) => s[is]);
  return (
    <label className="flex items-center gap-1">
      <input type="checkbox" checked={on} onChange={(e) => choose({ [is]: e.target.checked })} />
      {children}
    </label>
  );
}

/** Guide is the film's own sound: heard with the cue, and part of no stem. */
function Guide() {
  const level = usePicture((s) => s.level);
  return (
    <span className="flex items-center gap-1" title={say.aGuideItIsHeard}>
      <Tick is="sound">{say.filmsSound}</Tick>
      <input
        type="range"
        className="w-16"
        aria-label={say.levelOfTheFilmsSound}
        min={0}
        max={1}
        step={0.05}
        value={level}
        onChange={(e) => choose({ level: Number(e.target.value) })}
      />
    </span>
  );
}

/** Beside shows another cut, on the picture that the present one shows. */
function Beside({ film, cut, name, reel, at }: { film: Film; cut: Id; name: string; reel: Reel; at: number }) {
  const { data } = useQuery(filmed.conforming(film.id, film.revision, cut));
  const pieces = data?.reels.find((r) => r.reel === reel.id)?.pieces;
  const piece = pieces?.find((p) => at >= p.old.start && at < p.old.end);
  const there = piece ? piece.new.start + Math.min(at - piece.old.start, piece.new.end - piece.new.start - 1) : null;
  return (
    <div className="relative mt-1 aspect-video w-full overflow-hidden rounded-[3px] bg-black" data-beside={there ?? ""}>
      {there !== null && <Stage film={film} cut={cut} reel={reel} at={there} />}
      <p className="absolute inset-x-0 top-0 flex justify-between bg-[#14181ab8] px-1.5 text-[#f4eedd] text-[12px]">
        <span>{name}</span>
        <span>{there === null ? (pieces ? say.thisPicture : "") : timecode(film.settings.frame, there)}</span>
      </p>
    </div>
  );
}
