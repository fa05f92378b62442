import { DropdownMenu } from "radix-ui";
import { type KeyboardEvent, useEffect } from "react";
import {
  addCue,
  addReel,
  type Cue,
  type Film,
  films,
  openFilm,
  openFilms,
  redoFilm,
  sayCuesLeft,
  spanOf,
  undoFilm,
  useFilm,
} from "../../model/film";
import { choose, keepMusic, toggle, usePicture } from "../../model/picture";
import { set, tell } from "../../model/store";

import { clock, counted } from "../../model/timecode";
import { musicFiles } from "../../parts/ChooseFile";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { CueInspector } from "./CueInspector";
import { CueSheet } from "./CueSheet";
import { Picture } from "./Picture";
import { Strips } from "./Strips";
import { words } from "./words";

const say = words.cues;

/** Cues holds a production: its reels as strips, its cues as a sheet, and what a cue is made of. */
export function Cues() {
  const rows = useFilm((s) => s.rows);
  const film = useFilm((s) => s.film);
  const chosen = useFilm((s) => s.chosen);
  const open = usePicture((s) => s.open);
  const large = usePicture((s) => s.large);
  useEffect(() => void openFilms(), []);
  if (!film) return <None known={rows !== null} />;
  const one = chosen.size === 1 ? film.cues.find((c) => chosen.has(c.id)) : undefined;
  const keys = (e: KeyboardEvent) => {
    if (e.key === " " && !(e.target as HTMLElement).closest("input, textarea, select, button, a")) {
      e.preventDefault();
      toggle();
      return;
    }
    if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "z") return;
    if ((e.target as HTMLElement).closest("input, textarea, select")) return;
    e.preventDefault();
    void (e.shiftKey ? redoFilm() : undoFilm());
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys of what is within
    <div
      className="@container flex min-h-0 flex-1 flex-col"
      onKeyDown={keys}
      onDragOver={(e) => e.dataTransfer.types.includes("Files") && e.preventDefault()}
      onDrop={(e) => {
        const file = e.dataTransfer.files[0];
        if (!file) return;
        e.preventDefault();
        drop(file, one);
      }}
    >
      <LeafHead title={say.cues} note={noteOf(film)}>
        <select
          className="field max-w-48"
          aria-label={say.production}
          value={film.id}
          onChange={(e) => {
            const dialog = dialogs[e.target.value];
            if (dialog) set({ dialog });
            else void openFilm(e.target.value);
          }}
        >
          {rows?.map((r) => (
            <option key={r.id} value={r.id}>
              {r.id === film.id ? film.settings.name : r.name}
            </option>
          ))}
          <option value="settings">{say.settingsOfThisOne}</option>
          <option value="history">{say.itsHistory}</option>
          <option value="archive">{say.archive}</option>
          <option value="">{say.newProduction}</option>
        </select>
        <Add film={film} />
        <TakeOut film={film} />
        <button
          type="button"
          className="button"
          disabled={chosen.size === 0}
          onClick={() => set({ dialog: "start-cues" })}
        >
          {say.start}
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "cut" })}>
          {say.cuts}
        </button>
        <button type="button" className="button" aria-pressed={open} onClick={() => choose({ open: !open })}>
          {say.picture}
        </button>
        <button type="button" className="button" onClick={() => void undoFilm()} title={say.ctrlZWithinCues}>
          {say.undo}
        </button>
        <button type="button" className="button" onClick={() => void redoFilm()} title={say.ctrlShiftZWithinCues}>
          {say.redo}
        </button>
      </LeafHead>
      <div className="flex min-h-0 flex-1 flex-col overflow-y-auto">
        <Strips film={film} />
        <div className="flex min-h-[300px] flex-1">
          <CueSheet film={film} />
          {(one || open) && (
            <div
              className={`z-20 flex min-h-0 shrink-0 flex-col overflow-y-auto border-line border-l bg-paper ${large && open ? "w-[min(560px,60%)]" : "w-[320px]"}`}
            >
              {open && <Picture film={film} />}
              {one && <CueInspector key={one.id} film={film} cue={one} />}
            </div>
          )}
        </div>
      </div>
    </div>
  );
}

/** drop takes a file that is dropped on the leaf: an event list as a new cut, a list of cues, or the
 * music of the chosen cue. */
function drop(file: File, cue: Cue | undefined) {
  const end = file.name.slice(file.name.lastIndexOf(".")).toLowerCase();
  if ([".edl", ".otio"].includes(end)) set({ dialog: "cut", importing: file });
  else if ([".csv", ".tsv", ".txt"].includes(end)) set({ dialog: "spot", importing: file });
  else if (!musicFiles.split(",").includes(end)) tell(say.dropAnEventList, "refused");
  else if (cue) void keepMusic(cue, file);
  else tell(say.chooseTheCue, "refused");
}

/** dialogs are what the list of productions opens beside them. */
const dialogs: Record<string, "new-film" | "film-settings" | "film-history" | "archive"> = {
  "": "new-film",
  settings: "film-settings",
  history: "film-history",
  archive: "archive",
};

function noteOf(film: Film): string {
  const { whole, days, done } = film.sums;
  const left = whole.left > 0 ? say.toWrite(clock(whole.left)) : "";
  const by = days > 0 ? say.doneBy(new Date(done).toLocaleDateString("en-GB", { day: "numeric", month: "short" })) : "";
  return `${say.cuesCues(whole.cues)}, ${clock(whole.seconds)}${left}${by}`;
}

function Add({ film }: { film: Film }) {
  const add = () => {
    const { at } = films.getState();
    const reel = film.reels.find((r) => at !== null && at >= r.start && at < spanOf(film, r).end) ?? film.reels[0];
    if (!reel) return tell(say.addAReelFirst, "refused");
    const c = counted(film.settings.frame);
    const cues = film.cues.filter((x) => x.reel === reel.id);
    const start = at !== null && at >= reel.start ? at : cues.reduce((end, x) => Math.max(end, x.end), reel.start);
    void addCue(reel, start, start + 60 * c);
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button">{say.add}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating p-1" align="end" sideOffset={4}>
          <DropdownMenu.Item className="menu-item" disabled={film.reels.length === 0} onSelect={add}>
            {say.aCueAtThePlayhead}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void addReel()}>
            {say.aReel}
          </DropdownMenu.Item>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className="menu-item" onSelect={() => set({ dialog: "spot" })}>
            {say.aListOfCues}
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The formats in which cues are written. */
const formats: [string, string][] = [
  ["list", say.listOfCues],
  ["edl", say.eventListCmx3600],
  ["otio", say.timelineOpentimelineio],
];

/** TakeOut writes the cues of a reel, or of all, in the open formats. */
function TakeOut({ film }: { film: Film }) {
  const items = (reel?: string) =>
    formats.map(([format, text]) => (
      <DropdownMenu.Item
        key={format}
        className="menu-item"
        asChild
        onSelect={() => void sayCuesLeft(film.id, format, reel)}
      >
        <a
          href={`/api/productions/${film.id}/export/${format}${reel ? `?reel=${encodeURIComponent(reel)}` : ""}`}
          download
        >
          {text}
        </a>
      </DropdownMenu.Item>
    ));
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="button" disabled={film.cues.length === 0}>
        {say.takeOut}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-52 p-1" align="end" sideOffset={4}>
          {items()}
          {film.reels.length > 1 && <DropdownMenu.Separator className="my-1 h-px bg-line" />}
          {film.reels.length > 1 &&
            film.reels.map((r) => (
              <DropdownMenu.Sub key={r.id}>
                <DropdownMenu.SubTrigger className="menu-item">{say.reel(r.name)}</DropdownMenu.SubTrigger>
                <DropdownMenu.Portal>
                  <DropdownMenu.SubContent className="floating w-52 p-1">{items(r.id)}</DropdownMenu.SubContent>
                </DropdownMenu.Portal>
              </DropdownMenu.Sub>
            ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function None({ known }: { known: boolean }) {
  return (
    <>
      <LeafHead title={say.cues} note={known ? say.noProductionYet : ""} />
      {known && (
        <Empty
          says={say.aFilmAnEpisode}
          steps={[
            { text: say.newProduction, run: () => set({ dialog: "new-film" }) },
            { text: say.openAnArchive, run: () => set({ dialog: "archive" }) },
          ]}
        >
          {say.aProductionKeepsEachCue}
        </Empty>
      )}
    </>
  );
}
