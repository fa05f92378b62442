import { Pause, Play } from "lucide-react";
import { useEffect, useState } from "react";
import { words } from "./words";

const say = words.listen;

const clock = (s: number) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, "0")}`;

/** Listen plays a recording: a button, and a line to go to any place in it. */
export function Listen({ src, seconds, name }: { src: string; seconds: number; name: string }) {
  const [audio, setAudio] = useState<HTMLAudioElement | null>(null);
  const [at, setAt] = useState(0);
  const [playing, setPlaying] = useState(false);
  const [missing, setMissing] = useState(false);
  useEffect(() => {
    const a = new Audio(src);
    const heard = () => setAt(a.currentTime);
    const turned = () => setPlaying(!a.paused);
    const failed = () => setMissing(true);
    a.addEventListener("timeupdate", heard);
    for (const e of ["play", "pause", "ended"]) a.addEventListener(e, turned);
    a.addEventListener("error", failed);
    setAudio(a);
    setMissing(false);
    return () => {
      a.removeEventListener("error", failed);
      a.pause();
      a.removeAttribute("src");
    };
  }, [src]);
  if (missing) return <p className="text-accent">{say.theRecordingCannotBePlayed}</p>;
  const Icon = playing ? Pause : Play;
  return (
    <div className="flex items-center gap-3" data-part="listen" data-playing={playing}>
      <button
        type="button"
        className="button flex items-center gap-1"
        onClick={() => (playing ? audio?.pause() : void audio?.play().catch(() => setMissing(true)))}
      >
        <Icon size={13} aria-hidden /> {playing ? say.pause : say.listen}
      </button>
      <input
        type="range"
        className="min-w-0 flex-1"
        min={0}
        max={seconds}
        step={0.01}
        value={Math.min(at, seconds)}
        aria-label={say.placeIn(name)}
        aria-valuetext={say.of(clock(at), clock(seconds))}
        onChange={(e) => {
          if (audio) audio.currentTime = e.target.valueAsNumber;
        }}
      />
      <span className="text-soft tabular-nums">
        {clock(at)} / {clock(seconds)}
      </span>
    </div>
  );
}
