import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { bringIn, printsOf, useLookAgain } from "../../model/prints";
import { attempt, useApp } from "../../model/store";
import { bytes } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { chosenPrint } from "./chosen";
import { words } from "./words";

const say = words.bringInDialog;

const sounds = /\.(wav|bwf|rf64|flac)$/i;

/** BringInDialog takes a folder of stems that were recorded elsewhere. */
export function BringInDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const { data } = useQuery(printsOf(sheet.id));
  const [title, setTitle] = useState("");
  const [at, setAt] = useState("");
  const cues = data?.cues ?? [];
  const cue = cues.find((c) => c.production + c.cue === at);
  const [files, setFiles] = useState<readonly File[]>([]);
  const [sent, setSent] = useState<number | null>(null);
  const take = (list: Iterable<File> | null) => {
    const found = [...(list ?? [])].filter((f) => sounds.test(f.name));
    setFiles(found);
    const folder = found[0]?.webkitRelativePath.split("/")[0];
    if (!title && folder) setTitle(folder);
  };
  const go = async () => {
    setSent(0);
    const id = await attempt(() => bringIn(sheet.id, cue ? cue.called : title, cue, files, setSent));
    setSent(null);
    await lookAgain();
    if (!id) return;
    chosenPrint.setState({ id, delivery: null, against: null });
    close();
  };
  return (
    <Floating title={say.bringInRecordings} open onOpenChange={close} className="w-[560px]">
      <p>{say.chooseTheFolder}</p>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the button beside it does the same */}
      <div
        className="mt-3 flex flex-wrap items-center gap-2 rounded-[3px] border border-line border-dashed p-4"
        onDragOver={(e) => e.preventDefault()}
        onDrop={(e) => {
          e.preventDefault();
          take(e.dataTransfer.files);
        }}
      >
        <label className="button relative">
          {say.chooseAFolder}
          <input
            type="file"
            multiple
            className="sr-only"
            aria-label={say.theFolder}
            ref={(e) => e?.setAttribute("webkitdirectory", "")}
            onChange={(e) => take(e.target.files)}
          />
        </label>
        <label className="button relative">
          {say.chooseFiles}
          <input
            type="file"
            multiple
            accept=".wav,.bwf,.rf64,.flac"
            className="sr-only"
            aria-label={say.theFiles}
            onChange={(e) => take(e.target.files)}
          />
        </label>
        <span className="text-soft">
          {files.length > 0
            ? `${say.files(files.length)}, ${bytes(files.reduce((n, f) => n + f.size, 0))}`
            : say.orDropFilesHere}
        </span>
      </div>
      <div className="mt-3 flex items-center gap-2">
        <label htmlFor="bring-in-cue" className="w-20">
          {say.cue}
        </label>
        <select id="bring-in-cue" className="field flex-1" value={at} onChange={(e) => setAt(e.target.value)}>
          <option value="">{say.anotherPiece}</option>
          {cues.map((c) => (
            <option key={c.production + c.cue} value={c.production + c.cue}>
              {c.called}, {c.productionName}
            </option>
          ))}
        </select>
      </div>
      <div className={`mt-2 flex items-center gap-2 ${cue ? "invisible" : ""}`}>
        <label htmlFor="bring-in-title" className="w-20">
          {say.whatItIs}
        </label>
        <input
          id="bring-in-title"
          className="field flex-1"
          placeholder={say.n1m02TheLampIsLit}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      </div>
      <div className="mt-3 flex items-center justify-end gap-3">
        {sent !== null && (
          <span className="text-soft" role="status">
            {say.ofFilesSent(sent, files.length)}
          </span>
        )}
        <button
          type="button"
          className="button button-main"
          disabled={files.length === 0 || (title.trim() === "" && !cue) || sent !== null}
          onClick={() => void go()}
        >
          {say.bringInAndProve}
        </button>
      </div>
    </Floating>
  );
}
