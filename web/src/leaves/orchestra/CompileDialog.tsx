import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { compiled, takeOutCompiled } from "../../model/compile";
import { get, useApp } from "../../model/store";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { FileNotes } from "../../parts/FileNotes";
import { Floating } from "../../shell/Floating";
import { Messages } from "../library/Messages";

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
    <Floating title={`Play a part through ${name}`} open onOpenChange={close} className="w-[640px]">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <ChooseFile
          accept={musicFiles}
          label="Music"
          take={(f) => {
            setFile(f);
            setPart(0);
          }}
        >
          {file ? file.name : "Choose MusicXML or MIDI"}
        </ChooseFile>
        {data && (
          <label className="flex items-center gap-1.5">
            <span className="text-soft">Part</span>
            <select className="field" value={part} onChange={(e) => setPart(Number(e.target.value))}>
              {data.parts.map((p, n) => (
                <option key={n} value={n}>
                  {p.name}, {p.notes.toLocaleString("en")} notes
                </option>
              ))}
            </select>
          </label>
        )}
        <label className="flex items-center gap-1.5">
          <span className="text-soft">from bar</span>
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
            Take out as MIDI
          </button>
        )}
      </div>
      {!file && (
        <p className="py-4 text-center text-soft">
          A part of a score, or a MIDI track whose texts name articulations, becomes the messages this row needs:
          switches only where they change, in time before the note.
        </p>
      )}
      {error && <p className="text-accent">! {error.message}</p>}
      {data && !error && <FileNotes notes={data.notes} />}
      {data && !error && <Messages report={data} />}
    </Floating>
  );
}
