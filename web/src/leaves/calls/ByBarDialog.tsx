import { useEffect, useRef, useState } from "react";
import { answer, api, fileBody, type Schemas } from "../../model/api";
import { useFilm } from "../../model/film";
import { handOfParts, listen } from "../../model/music";
import { save } from "../../model/saving";
import { attempt, useApp } from "../../model/store";
import { mib, plural } from "../../model/template";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { useSize } from "../../parts/useSize";
import { Floating } from "../../shell/Floating";

type Followed = Schemas["FollowedMusic"];

/** ByBarDialog shows how memory can follow a piece of music: each row is called some bars before it
 * enters, and rests after it has played where memory is short. */
export function ByBarDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const from = useApp((s) => s.cueMusic);
  const [file, setFile] = useState<File | null>(null);
  const [got, setGot] = useState<Followed | null>(null);
  const cue = useFilm((s) => s.film?.cues.find((c) => c.id === from?.cue));
  const [query, setQuery] = useState({}); // whom a person chose for the cue
  const choose = async (f: File, named?: Record<string, string[]>) => {
    setFile(f);
    const done = await attempt(async () => {
      const parts = named ? (await listen({ file: f, hand: {} })).parts : [];
      const query = named ? { hand: JSON.stringify(handOfParts(named, parts)) } : {};
      const params = { path: { id: sheet.id }, query };
      setQuery(query);
      return answer(api.POST("/api/templates/{id}/follow", { params, ...fileBody(f) }));
    });
    setGot(done ?? null);
  };
  useEffect(() => {
    if (from) void choose(from.file, cue?.hand);
  }, []);
  const out = async (format: "midi" | "osc") => {
    const data = await attempt(() =>
      answer(
        api.POST("/api/templates/{id}/follow/{format}", {
          params: { path: { id: sheet.id, format }, query },
          ...fileBody(file!),
          parseAs: "blob",
        }),
      ),
    );
    if (data) save(`${got?.title || "Music"} calls.${format === "midi" ? "mid" : "csv"}`, data as unknown as Blob);
  };
  const name = (id: string) => sheet.instruments.byId.get(id)?.name ?? "";
  const changes = got?.steps.filter((s) => s.bar > 0) ?? [];
  const over = got?.machines.filter((m) => m.over.length > 0) ?? [];
  const fits = got?.machines.every((m) => m.allMib <= m.limitMib);
  return (
    <Floating title="Memory by bar" open onOpenChange={close} className="w-[860px]">
      <div className="mb-2 flex items-center gap-3">
        <ChooseFile accept={musicFiles} label="Music" className="button-main" take={(f) => void choose(f)}>
          {file ? "Another file…" : "Choose a cue's music…"}
        </ChooseFile>
        <span className="truncate">{file?.name ?? "MIDI, MusicXML or a session, from its first bar"}</span>
      </div>
      {got && (
        <div className="min-h-0 overflow-y-auto">
          <p data-part="by-bar">
            {plural(got.bars, "bar")}.{" "}
            {fits && "Everything that plays fits at once, and can be called before the music. "}
            {changes.length > 0 && `${plural(changes.length, "step")} within the music.`}
            {over.map((m) => (
              <span key={m.machine} className="text-accent">
                {" "}
                {sheet.machines.byId.get(m.machine)?.name} cannot hold what plays in {plural(m.over.length, "bar")},
                from bar {m.over[0]} on.
              </span>
            ))}
            {got.silent.length > 0 && <span className="text-soft"> Not cast: {got.silent.join("; ")}.</span>}
          </p>
          {got.machines
            .filter((m) => m.bars.some((x) => x > 0))
            .map((m) => (
              <Chart key={m.machine} name={sheet.machines.byId.get(m.machine)?.name ?? ""} m={m} />
            ))}
          <table className="mt-2 w-full border-collapse" data-part="steps">
            <thead>
              <tr className="text-left text-soft">
                <th className="w-20 py-1 font-normal">From</th>
                <th className="font-normal">Called</th>
                <th className="font-normal">Rests</th>
              </tr>
            </thead>
            <tbody>
              {got.steps.map((s) => (
                <tr key={s.bar} className="border-line border-t align-top">
                  <td className="py-1">{s.bar === 0 ? "before" : `bar ${s.bar}`}</td>
                  <td className="py-1 pr-3">
                    <Names names={s.wake.map(name)} />
                  </td>
                  <td className="py-1">
                    <Names names={s.rest.map(name)} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {got && (
        <div className="mt-3 flex justify-end gap-2">
          <button type="button" className="button" onClick={() => void out("midi")}>
            As MIDI with markers
          </button>
          <button type="button" className="button" onClick={() => void out("osc")}>
            As Open Sound Control (CSV)
          </button>
        </div>
      )}
    </Floating>
  );
}

const firstNames = 8;

/** Names shows the first few names, and all of them on demand. */
function Names({ names }: { names: readonly string[] }) {
  const [all, setAll] = useState(false);
  const most = all ? names.length : firstNames;
  return (
    <>
      {names.slice(0, most).join(", ")}
      {names.length > most && (
        <>
          {" "}
          <button type="button" className="link" onClick={() => setAll(true)}>
            and {names.length - most} more
          </button>
        </>
      )}
    </>
  );
}

const high = 56;

/** Chart draws what a machine holds from bar to bar, against what it can hold. */
function Chart({ name, m }: { name: string; m: Followed["machines"][number] }) {
  const box = useRef<HTMLDivElement>(null);
  const width = Math.max(200, useSize(box)?.width ?? 780);
  const top = Math.max(m.limitMib, ...m.bars) * 1.05;
  const x = (bar: number) => (bar / m.bars.length) * width;
  const y = (amount: number) => high - (amount / top) * high;
  const over = new Set(m.over);
  return (
    <div ref={box} className="mt-2" data-machine={name}>
      <div className="flex">
        <span className="font-semibold font-serif">{name}</span>
        <span className="ml-2 text-soft">
          {mib(Math.max(...m.bars))} at most, {mib(m.allMib)} with everything at once; it holds {mib(m.limitMib)}
        </span>
      </div>
      <svg width={width} height={high + 2} role="img" aria-label={`${name}, memory by bar`} className="block">
        <title>{`${name}: memory by bar`}</title>
        {m.bars.map((amount, bar) => (
          <rect
            key={bar}
            x={x(bar)}
            y={y(amount)}
            width={Math.max(0.5, width / m.bars.length - 0.5)}
            height={Math.max(0, high - y(amount))}
            fill={over.has(bar + 1) ? "var(--accent)" : "var(--tint-petrol)"}
          >
            <title>{`bar ${bar + 1}: ${mib(amount)}`}</title>
          </rect>
        ))}
        <path d={`M0 ${y(m.limitMib)}H${width}`} stroke="var(--ink)" strokeDasharray="4 3" />
      </svg>
    </div>
  );
}
