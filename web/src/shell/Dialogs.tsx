import { CompareDialog } from "../leaves/calls/CompareDialog";
import { MusicDialog } from "../leaves/calls/MusicDialog";
import { PrintDialog } from "../leaves/calls/PrintDialog";
import { SmallDialog } from "../leaves/calls/SmallDialog";
import { TrimDialog } from "../leaves/calls/TrimDialog";
import { ReturnsDialog } from "../leaves/deliver/ReturnsDialog";
import { RulesDialog } from "../leaves/deliver/RulesDialog";
import { StemsDialog } from "../leaves/deliver/StemsDialog";
import { CastingDialog } from "../leaves/library/casting/CastingDialog";
import { CompileDialog } from "../leaves/orchestra/CompileDialog";
import { ImportDialog } from "../leaves/orchestra/ImportDialog";
import { LayoutDialog } from "../leaves/orchestra/LayoutDialog";
import { NamesDialog } from "../leaves/orchestra/NamesDialog";
import { OrderDialog } from "../leaves/orchestra/OrderDialog";
import { OwnMapDialog } from "../leaves/orchestra/OwnMapDialog";
import { PaletteDialog } from "../leaves/orchestra/PaletteDialog";
import { PasteDialog } from "../leaves/orchestra/PasteDialog";
import { ReplaceDialog } from "../leaves/orchestra/ReplaceDialog";
import { SightDialog } from "../leaves/orchestra/SightDialog";
import { RemoveBusDialog } from "../leaves/routing/RemoveBusDialog";
import { HostDialog } from "../leaves/seating/HostDialog";
import { MachineDialog } from "../leaves/seating/MachineDialog";
import { PlanDialog } from "../leaves/seating/PlanDialog";
import { WhatIfDialog } from "../leaves/seating/WhatIfDialog";
import { set, useApp } from "../model/store";
import { CompareTemplatesDialog } from "./CompareTemplatesDialog";
import { Finder } from "./Finder";
import { HistoryDialog } from "./HistoryDialog";
import { KeyMap } from "./KeyMap";
import { Marks } from "./Marks";
import { NewTemplateDialog } from "./NewTemplateDialog";
import { SettingsDialog } from "./SettingsDialog";

/** Dialogs shows the one dialog that is open. */
export function Dialogs() {
  const dialog = useApp((s) => s.dialog);
  const close = () => set({ dialog: null, importing: null, machine: null, comparing: null });
  switch (dialog) {
    case "finder":
      return <Finder close={close} />;
    case "keys":
      return <KeyMap close={close} />;
    case "marks":
      return <Marks close={close} />;
    case "import":
      return <ImportDialog close={close} />;
    case "machine":
      return <MachineDialog close={close} />;
    case "settings":
      return <SettingsDialog close={close} />;
    case "casting":
      return <CastingDialog close={close} />;
    case "palette":
      return <PaletteDialog close={close} />;
    case "sightline":
      return <SightDialog close={close} />;
    case "history":
      return <HistoryDialog close={close} />;
    case "compare-templates":
      return <CompareTemplatesDialog close={close} />;
    case "names":
      return <NamesDialog close={close} />;
    case "replace":
      return <ReplaceDialog close={close} />;
    case "order":
      return <OrderDialog close={close} />;
    case "own-map":
      return <OwnMapDialog close={close} />;
    case "compile":
      return <CompileDialog close={close} />;
    case "layout":
      return <LayoutDialog close={close} />;
    case "stems":
      return <StemsDialog close={close} />;
    case "rules":
      return <RulesDialog close={close} />;
    case "returns":
      return <ReturnsDialog close={close} />;
    case "remove-bus":
      return <RemoveBusDialog close={close} />;
    case "paste":
      return <PasteDialog close={close} />;
    case "plan":
      return <PlanDialog close={close} />;
    case "compare-calls":
      return <CompareDialog close={close} />;
    case "music":
      return <MusicDialog close={close} />;
    case "small":
      return <SmallDialog close={close} />;
    case "trim":
      return <TrimDialog close={close} />;
    case "print":
      return <PrintDialog close={close} />;
    case "host":
      return <HostDialog close={close} />;
    case "what-if":
      return <WhatIfDialog close={close} />;
    case "new":
      return <NewTemplateDialog close={close} />;
  }
  return null;
}
