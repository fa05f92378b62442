import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { answer, api, fileBody, type Schemas } from "../../model/api";
import { change } from "../../model/changing";
import { get, useApp } from "../../model/store";

import { ChooseFile, musicFiles } from "../../parts/ChooseFile";
import { FileNotes } from "../../parts/FileNotes";
import { UnreadList } from "../../parts/UnreadList";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.playableDialog;

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
    <Floating title={say.couldPeoplePlayIt} open onOpenChange={close} className="w-[860px]">
      <div className="mb-2 flex items-center gap-3">
        <ChooseFile accept={musicFiles} label={say.musicOfTheCue} take={setFile}>
          {file ? say.anotherFile : say.chooseAFile}
        </ChooseFile>
        <span className="text-soft">{file?.name ?? say.midiFileOrMusicxml}</span>
      </div>
      <form className="mb-2 flex items-center gap-2" onSubmit={setOrchestra}>
        <label className="flex flex-1 items-center gap-2">
          <span className="text-soft">{say.whoPlays}</span>
          <input
            className="field flex-1"
            aria-label={say.whoPlays}
            placeholder={say.theDesksThatHaveRows}
            value={line}
            onChange={(e) => setLine(e.target.value)}
          />
        </label>
        <button type="submit" className="button" disabled={line.trim() === (sheet.settings.orchestra ?? "")}>
          {say.takeThese}
        </button>
      </form>
      {error && <p className="py-2 text-accent">! {error.message}</p>}
      {data && <UnreadList list={data.unread} />}
      {data && <FileNotes notes={data.notes} />}
      {data && (
        <>
          <p className="mb-2" data-part="playable-sum">
            <b className="font-semibold">
              {open.length === 0 ? say.peopleCouldPlayIt : say.placesToLookAt(open.length)}
            </b>
            {say.partsAgainstPlayers(data.parts, players)}
            {data.unknown.length > 0 && (
              <span className="text-accent">{say.notKnownWhatTheseAre(data.unknown.join(", "))}</span>
            )}
            {passed > 0 && (
              <button type="button" className="link ml-2" aria-expanded={all} onClick={() => setAll(!all)}>
                {say.showTheThatAreIgnored(all, passed)}
              </button>
            )}
          </p>
          <div className="min-h-0 flex-1 overflow-y-auto border-line border-y">
            <table className="w-full text-left" aria-label={say.whatPeopleCouldNotPlay}>
              <tbody>
                {(all ? data.findings : open).map((f) => (
                  <tr key={f.key} className={`odd:bg-band ${f.quiet ? "text-soft" : ""}`} data-finding={f.kind}>
                    <td className="w-24 py-0.5 pl-1">{f.to > f.from ? say.bars(f.from, f.to) : say.bar(f.from)}</td>
                    <td className="w-36 font-medium">{f.desk}</td>
                    <td>{f.message}</td>
                    <td className="pr-1 text-right">
                      <button type="button" className="link" onClick={() => quiet(f)}>
                        {f.quiet ? say.showItAgain : say.ignoreIt}
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
