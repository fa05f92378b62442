import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { type CutEvent, type Film, filmed, type Reel } from "../../model/film";
import { attach, filmOf, seek, usePicture } from "../../model/picture";
import { timecode } from "../../model/timecode";
import { isBlack, shotAt, shotTints } from "./shots";
import { words } from "./words";

const say = words.stage;

interface Props {
  film: Film;
  cut: Id;
  reel: Reel;
  at: number; // the frame that shows
  leads?: boolean; // it is what plays; others follow it
}

/** Stage shows the picture of a reel in a cut: its film, or a slate of each shot. */
export function Stage({ film, cut, reel, at, leads = false }: Props) {
  const movie = filmOf(film, cut, reel.id);
  const [broken, setBroken] = useState("");
  const address = movie && `/api/productions/${film.id}/cuts/${cut}/films/${reel.id}/play`;
  if (movie && address && broken !== movie.file)
    return (
      <Movie
        key={`${address}${movie.file}`}
        address={address}
        starts={movie.starts}
        ends={movie.ends}
        rate={film.settings.frame.num / film.settings.frame.den}
        at={at}
        leads={leads}
        fail={() => setBroken(movie.file)}
      />
    );
  return <Slate film={film} cut={cut} reel={reel} at={at} why={broken && say.cannotBePlayedHere(broken)} />;
}

interface MovieProps {
  address: string;
  starts: number;
  ends: number;
  rate: number;
  at: number;
  leads: boolean;
  fail: () => void;
}

function Movie({ address, starts, ends, rate, at, leads, fail }: MovieProps) {
  const video = useRef<HTMLVideoElement>(null);
  const playing = usePicture((s) => s.playing);
  const sound = usePicture((s) => s.sound);
  const level = usePicture((s) => s.level);
  useEffect(() => {
    if (!leads) return;
    attach(video.current, starts);
    return () => attach(null, 0);
  }, [leads, starts]);
  useEffect(() => {
    if (video.current) video.current.volume = level;
  }, [level]);
  useEffect(() => {
    const v = video.current;
    if (!v || (playing && leads)) return;
    if (!playing) void seek(v, at);
    // One that follows is brought near when it is off by more than a few frames.
    else if (Math.abs(starts + v.currentTime * rate - at) > 4) void seek(v, at);
  }, [at, playing, leads, starts, rate]);
  useEffect(() => {
    const v = video.current;
    if (!v || leads) return;
    if (playing) void v.play().catch(() => undefined);
    else v.pause();
  }, [playing, leads]);
  return (
    <>
      <video
        ref={video}
        src={address}
        muted={!leads || !sound}
        preload="auto"
        playsInline
        className="size-full bg-black object-contain"
        onLoadedData={(e) => void seek(e.currentTarget, at)}
        onError={fail}
        data-starts={starts}
      />
      {(at < starts || at >= ends) && (
        <p className="absolute inset-0 grid place-items-center bg-black text-[#c9c4b6]">{say.theFilmHasNoPicture}</p>
      )}
    </>
  );
}

interface SlateProps {
  film: Film;
  cut: Id;
  reel: Reel;
  at: number;
  why: string;
}

/** Slate stands in for a picture: the number of the shot, its name, and its own timecode. */
function Slate({ film, cut, reel, at, why }: SlateProps) {
  const count = film.cuts.find((c) => c.id === cut)?.reels.find((r) => r.reel === reel.id)?.events ?? 0;
  const { data: events = [] } = useQuery({ ...filmed.events(film.id, cut, reel.id, count), enabled: count > 0 });
  const n = shotAt(events, at);
  const e = n < 0 ? undefined : events[n];
  if (!e || at >= e.end || isBlack(e))
    return (
      <p className="grid size-full place-items-center bg-black text-[#c9c4b6]" data-slate="">
        {cut === ""
          ? say.noPictureYetSeeCuts
          : count === 0
            ? say.noPictureOfThisReel
            : e && at < e.end
              ? say.black
              : ""}
      </p>
    );
  const own = e.in + Math.round((at - e.start) * (e.speed ?? 1));
  return (
    <svg
      viewBox="0 0 320 180"
      className="size-full"
      role="img"
      aria-label={say.shot(n + 1, nameOf(e))}
      data-slate={n + 1}
    >
      <rect width={320} height={180} fill="var(--paper)" />
      <rect width={320} height={180} fill={`var(--tint-${shotTints[n % shotTints.length]})`} opacity={0.55} />
      <text x={160} y={86} textAnchor="middle" fontSize={54} fontFamily="var(--font-serif)" fill="var(--ink)">
        {n + 1}
      </text>
      <text x={160} y={108} textAnchor="middle" fontSize={13} fill="var(--ink)">
        {nameOf(e)}
      </text>
      <text x={160} y={126} textAnchor="middle" fontSize={11} fill="var(--ink)" opacity={0.75}>
        {e.clip && e.source ? `${e.source}  ` : ""}
        {timecode(film.settings.frame, Math.max(0, own))}
      </text>
      <rect x={110} y={134} width={100} height={3} fill="var(--ink)" opacity={0.2} />
      <rect
        x={110}
        y={134}
        width={(100 * (at + 1 - e.start)) / (e.end - e.start)}
        height={3}
        fill="var(--ink)"
        opacity={0.6}
      />
      {why && (
        <text x={6} y={12} fontSize={9} fill="var(--ink)">
          {why}
        </text>
      )}
    </svg>
  );
}

const nameOf = (e: CutEvent) => e.clip || e.source || "";
