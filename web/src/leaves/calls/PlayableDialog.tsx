import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { answer, api, fileBody, type Schemas } from "../../model/api";
import { change } from "../../model/changing";
import { get, useApp } from "../../model/store";
import { plural } from "../../model/template";
import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { FileNotes } from "../../parts/FileNotes";
import { UnreadList } from "../../parts/UnreadList";
import { Floating } from "../../shell/Floating";

type Finding = Schemas["PlayFinding"];
type Settings = Schemas["Settings"];

function configure(more: (s: Settings) => Partial<Settings>) {
  const { name, settings } = get().sheet!;
  return change({ kind: "configure", name, settings: { ...settings, ...more(settings) } });
}

/** PlayableDialog holds the music of a cue against the people of an orchestra: what they
 * could not play, bar by bar, each finding of which can be ignored. */
export function PlayableDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const brought = useApp((s) => s.importing);
  const [file, setFile] = useState<File | null>(brought);
  const [line, setLine] = useState(sheet.settings.orchestra ?? "");
  const [all, setAll] = useState(false);
  const { data, error } = useQuery({
    queryKey: ["playable", sheet.id, sheet.revision, file?.name, file?.size, file?.lastModified],
    queryFn: () =>
      answer(api.POST("/api/templates/{id}/playable", { params: { path: { id: sheet.id } }, ...fileBody(file!) })),
    enabled: file !== null,
    retry: false,
  });
  const setOrchestra = (e: FormEvent) => {
    e.preventDefault();
    void configure(() => ({ orchestra: line.trim() }));
  };
  const quiet = (f: Finding) =>
    void configure((s) => ({
      quiet: f.quiet ? (s.quiet ?? []).filter((k) => k !== f.key) : [...(s.quiet ?? []), f.key],
    }));
  const open = data?.findings.filter((f) => !f.quiet) ?? [];
  const passed = (data?.findings.length ?? 0) - open.length;
  const players = data?.orchestra.reduce((n, d) => n + d.players, 0) ?? 0;
  return (
    <Floating title="Could people play it?" open onOpenChange={close} className="w-[860px]">
      <div className="mb-2 flex items-center gap-3">
        <ChooseFile accept={musicFiles} label="Music of the cue" take={setFile}>
          {file ? "Another file…" : "Choose a file…"}
        </ChooseFile>
        <span className="text-soft">{file?.name ?? "MIDI file or MusicXML of one cue"}</span>
      </div>
      <form className="mb-2 flex items-center gap-2" onSubmit={setOrchestra}>
        <label className="flex flex-1 items-center gap-2">
          <span className="text-soft">Who plays</span>
          <input
            className="field flex-1"
            aria-label="Who plays"
            placeholder="the desks that have rows here; or 2[1.2/pic] 2 2 2 - 4 3 3 1 - timp+2 - str 14.12.10.8.6"
            value={line}
            onChange={(e) => setLine(e.target.value)}
          />
        </label>
        <button type="submit" className="button" disabled={line.trim() === (sheet.settings.orchestra ?? "")}>
          Take these
        </button>
      </form>
      {error && <p className="py-2 text-accent">! {error.message}</p>}
      {data && <UnreadList list={data.unread} />}
      {data && <FileNotes notes={data.notes} />}
      {data && (
        <>
          <p className="mb-2" data-part="playable-sum">
            <b className="font-semibold">
              {open.length === 0 ? "People could play it" : `${plural(open.length, "place")} to look at`}
            </b>
            , {plural(data.parts, "part")} against {plural(players, "player")}
            {data.unknown.length > 0 && (
              <span className="text-accent">; not known what these are: {data.unknown.join(", ")}</span>
            )}
            {passed > 0 && (
              <button type="button" className="link ml-2" aria-expanded={all} onClick={() => setAll(!all)}>
                {all ? "Hide" : "Show"} the {passed} that {passed === 1 ? "is" : "are"} ignored
              </button>
            )}
          </p>
          <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
            <table className="w-full text-left" aria-label="What people could not play">
              <tbody>
                {(all ? data.findings : open).map((f) => (
                  <tr key={f.key} className={`odd:bg-band ${f.quiet ? "text-soft" : ""}`} data-finding={f.kind}>
                    <td className="w-24 py-0.5 pl-1">{f.to > f.from ? `bars ${f.from}–${f.to}` : `bar ${f.from}`}</td>
                    <td className="w-36 font-medium">{f.desk}</td>
                    <td>{f.message}</td>
                    <td className="pr-1 text-right">
                      <button type="button" className="link" onClick={() => quiet(f)}>
                        {f.quiet ? "Show it again" : "Ignore it"}
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
    </Floating>
  );
}
