import { queryOptions, useQuery } from "@tanstack/react-query";
import { CornerLeftUp, Film as FilmIcon, Folder } from "lucide-react";
import { useState } from "react";
import { answer, api } from "../../model/api";
import { type Film, useFilm } from "../../model/film";
import { chooseFilm, filmOf } from "../../model/picture";
import { remember, remembered, tell, useApp } from "../../model/store";
import { frameOf, timecode } from "../../model/timecode";
import { Floating } from "../../shell/Floating";
import { Cell } from "./Cell";
import { words } from "./words";

const say = words.movieDialog;

const movies = (folder: string) =>
  queryOptions({
    queryKey: ["movies", folder],
    queryFn: () => answer(api.GET("/api/movies", { params: { query: folder ? { folder } : {} } })),
    retry: false,
  });

/** MovieDialog chooses the film of a reel in a cut, and tells what its header says. */
export function MovieDialog({ close }: { close: () => void }) {
  const film = useFilm((s) => s.film);
  const of = useApp((s) => s.movie);
  const cut = film?.cuts.find((c) => c.id === of?.cut);
  const reel = film?.reels.find((r) => r.id === of?.reel);
  if (!film || !cut || !reel) return null;
  const has = filmOf(film, cut.id, reel.id);
  return (
    <Floating title={say.filmOfReel(reel.name, cut.name)} open onOpenChange={close} className="w-[620px]">
      {has ? (
        <>
          <Told film={film} movie={has} set={(begin) => void chooseFilm(cut.id, reel.id, askOf(has, begin))} />
          <div className="mt-3 flex justify-end gap-2">
            <button type="button" className="button" onClick={() => void chooseFilm(cut.id, reel.id, null)}>
              {say.removeIt}
            </button>
            <button type="button" className="button" onClick={() => void chooseFilm(cut.id, reel.id, askOf(has))}>
              {say.readItAgain}
            </button>
            <button type="button" className="button button-main" onClick={close}>
              {say.done}
            </button>
          </div>
        </>
      ) : (
        <Browse take={(folder, file) => chooseFilm(cut.id, reel.id, { folder, file })} />
      )}
    </Floating>
  );
}

type Movie = NonNullable<ReturnType<typeof filmOf>>;

/** askOf chooses a film again, with where it begins; null is as its timecode says. */
const askOf = (m: Movie, begin: number | null = m.begin ?? null) => ({
  folder: m.folder,
  file: m.file,
  ...(begin === null ? {} : { begin }),
});

/** Told is what the header of a film says. */
function Told({ film, movie, set }: { film: Film; movie: Movie; set: (begin: number | null) => void }) {
  const { footage } = movie;
  const frame = film.settings.frame;
  const marks = film.marks.filter((m) => m.code.startsWith("film-") && m.message.startsWith(`${movie.file}, `));
  const rate = Math.round((1000 * footage.num) / footage.den) / 1000;
  return (
    <>
      <dl className="grid grid-cols-[110px_1fr] gap-y-1">
        <dt className="text-soft">{say.file}</dt>
        <dd className="truncate" title={`${movie.folder}/${movie.file}`}>
          {movie.file}
        </dd>
        <dt className="text-soft">{say.picture}</dt>
        <dd>{say.framesASecond(footage.width, footage.height, rate, footage.codec)}</dd>
        <dt className="text-soft">{say.itsTimecode}</dt>
        <dd>{footage.start || say.none}</dd>
        <dt className="self-center text-soft">{say.beginsAt}</dt>
        <dd className="flex items-center gap-2">
          <Cell
            value={timecode(frame, movie.starts)}
            label={say.whereTheFilmBegins}
            className="w-28"
            keep={(text) => {
              const begin = frameOf(frame, text);
              if (begin !== null) set(begin);
              else tell(say.isNotATimecode(text), "refused");
            }}
          />
          {movie.begin !== undefined && (
            <button type="button" className="link" onClick={() => set(null)}>
              {say.asItsTimecodeSays}
            </button>
          )}
        </dd>
        <dt className="text-soft">{say.endsAt}</dt>
        <dd>{timecode(frame, movie.ends)}</dd>
        <dt className="text-soft">{say.itsSound}</dt>
        <dd>{footage.soundMs ? `${(footage.soundMs / 1000).toFixed(1)} s` : say.none}</dd>
      </dl>
      <ul className="mt-2" aria-label={say.toCheck}>
        {marks.map((m) => (
          <li key={m.code + m.message}>
            <span className="text-accent">! {m.message}.</span> <span className="text-soft">{m.remedy}.</span>
          </li>
        ))}
        {movie.notes.map((n) => (
          <li key={n} className="text-soft">
            {n}.
          </li>
        ))}
      </ul>
    </>
  );
}

/** Browse looks for a film in the folders that may be scanned. */
function Browse({ take }: { take: (folder: string, file: string) => Promise<unknown> }) {
  const [folder, setFolder] = useState(() => remembered("movie-folder", ""));
  const { data: top } = useQuery(movies(""));
  const { data, error } = useQuery(movies(folder));
  const roots = top?.roots ?? [];
  const root = roots.find((r) => folder === r || folder.startsWith(`${r}/`));
  const go = (to: string) => {
    setFolder(to);
    remember("movie-folder", to);
  };
  if (top && roots.length === 0)
    return (
      <p className="text-soft">
        {say.thisServerHasNoFolder} <code>{say.scanRootFolder}</code>
        {say.theFolderThatHolds}
      </p>
    );
  return (
    <>
      <p className="truncate text-soft">{root ? folder : say.foldersWithFilms}</p>
      <ul aria-label={say.films} className="mt-1 max-h-72 overflow-y-auto">
        {root && (
          <li>
            <button
              type="button"
              className="menu-item flex w-full items-center gap-2"
              onClick={() => go(folder === root ? "" : folder.slice(0, folder.lastIndexOf("/")))}
            >
              <CornerLeftUp size={13} /> {say.up}
            </button>
          </li>
        )}
        {(root ? (data?.folders ?? []) : roots).map((name) => (
          <li key={name}>
            <button
              type="button"
              className="menu-item flex w-full items-center gap-2"
              onClick={() => go(root ? `${folder}/${name}` : name)}
            >
              <Folder size={13} /> {name}
            </button>
          </li>
        ))}
        {root &&
          data?.movies.map((m) => (
            <li key={m.name}>
              <button
                type="button"
                className="menu-item flex w-full items-center gap-2"
                onClick={() => void take(folder, m.name)}
              >
                <FilmIcon size={13} /> {m.name}
                <span className="ml-auto text-soft">{m.mib < 10 ? m.mib.toFixed(1) : Math.round(m.mib)} MiB</span>
              </button>
            </li>
          ))}
      </ul>
      {root && data && data.movies.length === 0 && <p className="text-soft">{say.noFilmsHere}</p>}
      {error && <p className="text-accent">{error.message}</p>}
    </>
  );
}
