import { films, useFilm } from "../../model/film";
import { set, show } from "../../model/store";
import { plural } from "../../model/template";
import { command, leaf } from "../leaf";
import { ArchiveDialog } from "./ArchiveDialog";
import { Cues } from "./Cues";
import { CutDialog } from "./CutDialog";
import { cueActions } from "./cueActions";
import { FilmDialog } from "./FilmDialog";
import { FilmHistoryDialog } from "./FilmHistoryDialog";
import { MovieDialog } from "./MovieDialog";
import { SettingsDialog } from "./SettingsDialog";
import { SinceDialog } from "./SinceDialog";
import { SpotDialog } from "./SpotDialog";
import { StartDialog } from "./StartDialog";
import { TempiDialog } from "./TempiDialog";

export const cues = leaf({
  name: "cues",
  title: "Cues",
  number: 8,
  width: 1.6,
  Content: Cues,
  // A spine draws it, so that it follows the production.
  figure: () => useFilm((s) => (s.film ? plural(s.film.cues.length, "cue") : "no production")),
  dialogs: {
    "new-film": FilmDialog,
    "film-settings": SettingsDialog,
    spot: SpotDialog,
    cut: CutDialog,
    movie: MovieDialog,
    "film-history": FilmHistoryDialog,
    "since-started": SinceDialog,
    tempi: TempiDialog,
    "start-cues": StartDialog,
    archive: ArchiveDialog,
  },
  doings: () => [
    command("New production", "", () => {
      show("cues");
      set({ dialog: "new-film" });
    }),
    command("Open an archive", "", () => {
      show("cues");
      set({ dialog: "archive" });
    }),
    ...(films.getState().film
      ? [
          command("Take out an archive", "", () => set({ dialog: "archive" })),
          command("Bring in a list of cues", "", () => set({ dialog: "spot" })),
          command("Settings of the production", "", () => set({ dialog: "film-settings" })),
          command("Bring in a cut", "", () => set({ dialog: "cut" })),
          command("History of the production", "", () => set({ dialog: "film-history" })),
        ]
      : []),
    ...(films.getState().film?.cues ?? []).map((c) => ({
      key: c.id,
      kind: "cue",
      text: [c.number, c.title].filter(Boolean).join(" "),
      note: c.status,
      run: () => {
        show("cues");
        films.setState({ chosen: new Set([c.id]), at: c.start });
      },
    })),
  ],
  things: {
    cue: {
      choose: (id) => {
        if (!films.getState().chosen.has(id)) films.setState({ chosen: new Set([id]) });
      },
      actions: cueActions,
    },
  },
  keys: [
    ["Ctrl Z", "in Cues: take the last change of the production back"],
    ["Space", "in Cues: play the picture, or stop it"],
    ["← →", "in a strip: the playhead by a frame, with Shift by a second"],
    ["Delete", "in the sheet of cues: take the chosen cues away"],
  ],
});
