import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { answer, api, type Id } from "../../model/api";
import { change } from "../../model/changing";
import { print } from "../../model/music";
import { get, tell, useApp } from "../../model/store";
import { mib, things } from "../../model/template";
import { Listen } from "../../parts/Listen";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.printDialog;

/** PrintDialog lets a row play a recording of itself, or its patches again. */
export function PrintDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const [id] = useState(() => [...get().selection][0] ?? "");
  const i = sheet.instruments.byId.get(id);
  const state = useApp((s) => s.states.get(id));
  const cues = things(sheet.calls).filter((c) => c.uses?.some((u) => u.instrument === id));
  const [file, setFile] = useState<File | null>(null);
  const [call, setCall] = useState<Id>(cues[0]?.id ?? "");
  const { data: taken } = useQuery({
    queryKey: ["recordings"],
    queryFn: () => answer(api.GET("/api/recordings")),
    gcTime: 0,
  });
  const gib = (bytes: number) => mib(bytes / 2 ** 20);
  if (!i) return null;
  const take = async (e: FormEvent) => {
    e.preventDefault();
    if (!file || !(await print(id, file, call))) return;
    tell(say.playsForItsMemory(file.name, i.name));
    close();
  };
  const back = () => void unprint([id]).then((done) => done && close());
  return (
    <Floating title={say.aRecordingFor(i.name)} open onOpenChange={close} className="w-[480px]">
      {i.printed && (
        <div className="mb-4 flex flex-col gap-2 border-line border-b pb-4" data-part="printed">
          <p>
            {say.sPlaysNow(i.printed.file, i.printed.seconds.toFixed(1))}{" "}
            {state?.reason && <span className="text-accent">! {state.reason}. </span>}
            <button type="button" className="link" onClick={back}>
              {say.playItsPatchesAgain}
            </button>
          </p>
          {i.printed.audio ? (
            <Listen src={`/api/recordings/${i.printed.audio}`} seconds={i.printed.seconds} name={i.printed.file} />
          ) : (
            <p className="text-soft">{say.theFileIsNotHere}</p>
          )}
        </div>
      )}
      <form className="flex flex-col gap-3" onSubmit={(e) => void take(e)}>
        <p className="text-soft">{say.aRecordingTakesNoMemory(mib(sheet.facts.get(id)?.readyMib ?? 0))}</p>
        <label className="button self-start">
          {file ? file.name : say.chooseTheRecording}
          <input
            type="file"
            className="sr-only"
            accept=".wav,.flac"
            aria-label={say.recording}
            onChange={(e) => setFile(e.target.files?.[0] ?? null)}
          />
        </label>
        {cues.length > 0 && (
          <label className="flex items-center gap-2">
            {say.forTheCue}
            <select className="field" value={call} onChange={(e) => setCall(e.target.value)}>
              {cues.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          </label>
        )}
        <div className="flex items-center justify-between gap-3">
          <span className="text-soft" data-part="recordings">
            {taken && say.recordingsTakeOfTheStudios(gib(taken.bytes), gib(taken.mostBytes))}
          </span>
          <button type="submit" className="button button-main" disabled={!file}>
            {say.playIt}
          </button>
        </div>
      </form>
    </Floating>
  );
}

/** unprint lets rows play their patches again. */
export const unprint = (ids: Id[]) =>
  change({ kind: "edit", edits: ids.map((id) => ({ id, printed: { file: "", seconds: 0 } })) });
