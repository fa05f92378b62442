import { useEffect, useRef, useState } from "react";
import { answer, api, fileBody, type Schemas } from "../../model/api";
import { useFilm } from "../../model/film";
import { handOfParts, listen } from "../../model/music";
import { save } from "../../model/saving";
import { attempt, useApp } from "../../model/store";
import { mib } from "../../model/template";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { useSize } from "../../parts/useSize";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.byBarDialog;

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
    if (data) save(say.file(got?.title || say.music, format === "midi" ? "mid" : "csv"), data as unknown as Blob);
  };
  const name = (id: string) => sheet.instruments.byId.get(id)?.name ?? "";
  const changes = got?.steps.filter((s) => s.bar > 0) ?? [];
  const over = got?.machines.filter((m) => m.over.length > 0) ?? [];
  const fits = got?.machines.every((m) => m.allMib <= m.limitMib);
  return (
    <Floating title={say.memoryByBar} open onOpenChange={close} className="w-[860px]">
      <div className="mb-2 flex items-center gap-3">
        <ChooseFile accept={musicFiles} label={say.music} className="button-main" take={(f) => void choose(f)}>
          {file ? say.anotherFile : say.chooseACuesMusic}
        </ChooseFile>
        <span className="truncate">{file?.name ?? say.midiMusicxmlOrASession}</span>
      </div>
      {got && (
        <div className="min-h-0 overflow-y-auto">
          <p data-part="by-bar">
            {say.bars(got.bars)}. {fits && say.everythingThatPlaysFits}
            {changes.length > 0 && say.stepsWithinTheMusic(changes.length)}
            {over.map((m) => (
              <span key={m.machine} className="text-accent">
                {" "}
                {say.cannotHoldWhatPlays(
                  sheet.machines.byId.get(m.machine)?.name ?? "",
                  m.over.length,
                  m.over[0] ?? "",
                )}
              </span>
            ))}
            {got.silent.length > 0 && <span className="text-soft"> {say.notCast(got.silent.join("; "))}</span>}
          </p>
          {got.machines
            .filter((m) => m.bars.some((x) => x > 0))
            .map((m) => (
              <Chart key={m.machine} name={sheet.machines.byId.get(m.machine)?.name ?? ""} m={m} />
            ))}
          <table className="mt-2 w-full border-collapse" data-part="steps">
            <thead>
              <tr className="text-left text-soft">
                <th className="w-20 py-1 font-normal">{say.from}</th>
                <th className="font-normal">{say.called}</th>
                <th className="font-normal">{say.rests}</th>
              </tr>
            </thead>
            <tbody>
              {got.steps.map((s) => (
                <tr key={s.bar} className="border-line border-t align-top">
                  <td className="py-1">{s.bar === 0 ? say.before : say.bar(s.bar)}</td>
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
            {say.asMidiWithMarkers}
          </button>
          <button type="button" className="button" onClick={() => void out("osc")}>
            {say.asOpenSoundControlCsv}
          </button>
        </div>
      )}
    </Floating>
  );
}

const firstNames = 8;

/** Names shows the first few names, and all of them when asked. */
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
            {say.andMore(names.length - most)}
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
          {say.atMostWithEverything(mib(Math.max(...m.bars)), mib(m.allMib), mib(m.limitMib))}
        </span>
      </div>
      <svg width={width} height={high + 2} role="img" aria-label={say.memoryByBarName(name)} className="block">
        <title>{say.memoryByBar2(name)}</title>
        {m.bars.map((amount, bar) => (
          <rect
            key={bar}
            x={x(bar)}
            y={y(amount)}
            width={Math.max(0.5, width / m.bars.length - 0.5)}
            height={Math.max(0, high - y(amount))}
            fill={over.has(bar + 1) ? "var(--accent)" : "var(--tint-petrol)"}
          >
            <title>{say.barBar(bar + 1, mib(amount))}</title>
          </rect>
        ))}
        <path d={`M0 ${y(m.limitMib)}H${width}`} stroke="var(--ink)" strokeDasharray="4 3" />
      </svg>
    </div>
  );
}
