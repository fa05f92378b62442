import { films, useFilm } from "../../model/film";
import { set, show } from "../../model/store";

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
import { words } from "./words";

const say = words.leaf;

export const cues = leaf({
  name: "cues",
  title: say.cues,
  number: 8,
  width: 1.6,
  Content: Cues,
  // A spine draws it, so that it follows the production.
  figure: () => useFilm((s) => (s.film ? say.cuesCues(s.film.cues.length) : say.noProduction)),
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
    command(say.newProduction, "", () => {
      show("cues");
      set({ dialog: "new-film" });
    }),
    command(say.openAnArchive, "", () => {
      show("cues");
      set({ dialog: "archive" });
    }),
    ...(films.getState().film
      ? [
          command(say.takeOutAnArchive, "", () => set({ dialog: "archive" })),
          command(say.bringInAList, "", () => set({ dialog: "spot" })),
          command(say.settingsOfTheProduction, "", () => set({ dialog: "film-settings" })),
          command(say.bringInACut, "", () => set({ dialog: "cut" })),
          command(say.historyOfTheProduction, "", () => set({ dialog: "film-history" })),
        ]
      : []),
    ...(films.getState().film?.cues ?? []).map((c) => ({
      key: c.id,
      kind: say.cue,
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
    ["Ctrl Z", say.inCuesUndoTheLast],
    ["Space", say.inCuesPlayThePicture],
    ["← →", say.inAStripThePlayhead],
    ["Delete", say.inTheSheetDelete],
  ],
});
