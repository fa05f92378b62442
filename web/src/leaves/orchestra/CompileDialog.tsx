import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { compiled, takeOutCompiled } from "../../model/compile";
import { get, useApp } from "../../model/store";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { FileNotes } from "../../parts/FileNotes";
import { Floating } from "../../shell/Floating";
import { Messages } from "../library/Messages";
import { words } from "./words";

const say = words.compileDialog;

/** CompileDialog plays a part of a score or MIDI file through one row: music
 * in, the exact messages out. */
export function CompileDialog({ close }: { close: () => void }) {
  const [id] = useState(() => get().cursor ?? [...get().selection][0] ?? "");
  const sheet = useApp((s) => s.sheet)!;
  const name = sheet.instruments.byId.get(id)?.name ?? "";
  const [file, setFile] = useState<File | null>(null);
  const [part, setPart] = useState(0);
  const [bar, setBar] = useState(1);
  const { data, error } = useQuery(compiled(id, file, part, bar, sheet.revision));
  return (
    <Floating title={say.playAPartThrough(name)} open onOpenChange={close} className="w-[640px]">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <ChooseFile
          accept={musicFiles}
          label={say.music}
          take={(f) => {
            setFile(f);
            setPart(0);
          }}
        >
          {file ? file.name : say.chooseMusicxmlOrMidi}
        </ChooseFile>
        {data && (
          <label className="flex items-center gap-1.5">
            <span className="text-soft">{say.part}</span>
            <select className="field" value={part} onChange={(e) => setPart(Number(e.target.value))}>
              {data.parts.map((p, n) => (
                <option key={n} value={n}>
                  {say.notes(p.name, p.notes.toLocaleString("en"))}
                </option>
              ))}
            </select>
          </label>
        )}
        <label className="flex items-center gap-1.5">
          <span className="text-soft">{say.fromBar}</span>
          <input
            type="number"
            min={1}
            className="field w-20"
            value={bar}
            onChange={(e) => setBar(Math.max(1, Number(e.target.value)))}
          />
        </label>
        {file && data && !error && (
          <button
            type="button"
            className="button button-main ml-auto"
            onClick={() => void takeOutCompiled(id, name, file, part, bar)}
          >
            {say.takeOutAsMidi}
          </button>
        )}
      </div>
      {!file && <p className="py-4 text-center text-soft">{say.aPartOfAScore}</p>}
      {error && <p className="text-accent">! {error.message}</p>}
      {data && !error && <FileNotes notes={data.notes} />}
      {data && !error && <Messages report={data} />}
    </Floating>
  );
}
