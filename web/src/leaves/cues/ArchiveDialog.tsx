import { useState } from "react";
import { openArchive, openFilm, openFilms, useFilm } from "../../model/film";
import { tell } from "../../model/store";
import { bytes, plural } from "../../model/template";
import { Floating } from "../../shell/Floating";

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
    tell(`${made.name} is open: ${plural(made.cues, "cue")}, ${plural(made.prints, "print")}, and its templates.`);
    close();
  };
  return (
    <Floating title="Archive" open onOpenChange={close} className="w-[560px]">
      {film && (
        <>
          <p>
            An archive holds all that it takes to open a production again years later, without any library installed:
            reels, cuts, cues and their music, the templates, and the newest print of each cue with its proof. It can be
            read without Fanfold too.
          </p>
          <div className="mt-3 flex flex-wrap gap-2">
            <a className="button" href={`/api/productions/${film.id}/archive`} download>
              Take out {film.settings.name}
            </a>
            {one && (
              <a
                className="button"
                href={`/api/productions/${film.id}/archive?cue=${encodeURIComponent(one.id)}`}
                download
              >
                Take out {[one.number, one.title].filter(Boolean).join(" ")} alone
              </a>
            )}
          </div>
        </>
      )}
      <h3 className={`font-serif text-[15px] ${film ? "mt-5 border-line border-t pt-4" : ""}`}>Open an archive</h3>
      <p className="text-soft">It becomes a production of its own, beside what is there.</p>
      <div className="mt-2 flex items-center gap-2">
        <label className="button relative">
          Choose a file…
          <input
            type="file"
            accept=".zip"
            className="sr-only"
            aria-label="Archive file"
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
          {busy ? "Opening…" : "Open it"}
        </button>
      </div>
    </Floating>
  );
}
