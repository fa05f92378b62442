import { useState } from "react";
import { openArchive, openFilm, openFilms, useFilm } from "../../model/film";
import { tell } from "../../model/store";
import { bytes } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.archiveDialog;

/** ArchiveDialog takes a production or a cue out as an archive, and opens archives. */
export function ArchiveDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const chosen = useFilm((s) => s.chosen);
  const one = chosen.size === 1 ? film?.cues.find((c) => chosen.has(c.id)) : undefined;
  const [file, setFile] = useState<File | null>(null);
  const [busy, setBusy] = useState(false);
  const open = async () => {
    if (!file) return;
    setBusy(true);
    const made = await openArchive(file);
    setBusy(false);
    if (!made) return;
    await openFilms();
    await openFilm(made.production);
    tell(say.isOpenCuesPrints(made.name, made.cues, made.prints));
    close();
  };
  return (
    <Floating title={say.archive} open onOpenChange={close} className="w-[560px]">
      {film && (
        <>
          <p>{say.anArchiveHoldsAll}</p>
          <div className="mt-3 flex flex-wrap gap-2">
            <a className="button" href={`/api/productions/${film.id}/archive`} download>
              {say.takeOut(film.settings.name)}
            </a>
            {one && (
              <a
                className="button"
                href={`/api/productions/${film.id}/archive?cue=${encodeURIComponent(one.id)}`}
                download
              >
                {say.takeOutAlone([one.number, one.title].filter(Boolean).join(" "))}
              </a>
            )}
          </div>
        </>
      )}
      <h3 className={`font-serif text-[15px] ${film ? "mt-5 border-line border-t pt-4" : ""}`}>{say.openAnArchive}</h3>
      <p className="text-soft">{say.itBecomesAProduction}</p>
      <div className="mt-2 flex items-center gap-2">
        <label className="button relative">
          {say.chooseAFile}
          <input
            type="file"
            accept=".zip"
            className="sr-only"
            aria-label={say.archiveFile}
            onChange={(e) => setFile(e.target.files?.[0] ?? null)}
          />
        </label>
        <span className="min-w-0 truncate text-soft">{file && `${file.name}, ${bytes(file.size)}`}</span>
        <button
          type="button"
          className="button button-main ml-auto"
          disabled={!file || busy}
          onClick={() => void open()}
        >
          {busy ? say.opening : say.openIt}
        </button>
      </div>
    </Floating>
  );
}
