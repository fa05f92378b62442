import type { ReactNode } from "react";
import { leaves } from "../leaves";
import { type ShellDialog, set, useApp } from "../model/store";
import { AccountDialog } from "./AccountDialog";
import { CompareTemplatesDialog } from "./CompareTemplatesDialog";
import { DriftDialog } from "./DriftDialog";
import { Finder } from "./Finder";
import { GuideDialog } from "./GuideDialog";
import { HistoryDialog } from "./HistoryDialog";
import { KeyMap } from "./KeyMap";
import { LinksDialog } from "./LinksDialog";
import { Marks } from "./Marks";
import { MembersDialog } from "./MembersDialog";
import { NewTemplateDialog } from "./NewTemplateDialog";
import { NotesDialog } from "./NotesDialog";
import { FurnishedDialog, ReadyDialog } from "./ReadyDialog";
import { SettingsDialog } from "./SettingsDialog";
import { SinceHereDialog } from "./SinceLine";
import { StandsDialog } from "./StandsDialog";
import { TemplatesDialog } from "./TemplatesDialog";

type Shown = (p: { close: () => void }) => ReactNode;

const own: Record<ShellDialog, Shown> = {
  finder: Finder,
  keys: KeyMap,
  marks: Marks,
  settings: SettingsDialog,
  new: NewTemplateDialog,
  ready: ReadyDialog,
  furnished: FurnishedDialog,
  history: HistoryDialog,
  "compare-templates": CompareTemplatesDialog,
  drift: DriftDialog,
  members: MembersDialog,
  account: AccountDialog,
  notes: NotesDialog,
  links: LinksDialog,
  stands: StandsDialog,
  templates: TemplatesDialog,
  guide: GuideDialog,
  "since-here": SinceHereDialog,
};

const all: Record<string, Shown> = Object.assign({}, own, ...leaves.map((l) => l.dialogs));

/** Dialogs shows the one dialog that is open. */
export function Dialogs() {
  const dialog = useApp((s) => s.dialog);
  const close = () =>
    set({
      dialog: null,
      importing: null,
      machine: null,
      movie: null,
      cueMusic: null,
      comparing: null,
      taking: null,
      furnishing: null,
    });
  const Shows = dialog && all[dialog];
  return Shows ? <Shows close={close} /> : null;
}
