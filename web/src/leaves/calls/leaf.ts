import { call } from "../../model/changing";
import { get, set, show } from "../../model/store";
import { gib, inUse, plural, things } from "../../model/template";
import { command, leaf } from "../leaf";
import { ByBarDialog } from "./ByBarDialog";
import { Calls } from "./Calls";
import { CompareDialog } from "./CompareDialog";
import { DustDialog } from "./DustDialog";
import { MusicDialog } from "./MusicDialog";
import { PlayableDialog } from "./PlayableDialog";
import { PrintDialog } from "./PrintDialog";
import { SmallDialog } from "./SmallDialog";
import { TrimDialog } from "./TrimDialog";

export const calls = leaf({
  name: "calls",
  title: "Calls",
  number: 7,
  width: 0.9,
  Content: Calls,
  figure: (_, rig) => {
    return `${gib(inUse(rig.values()))} GiB ready`;
  },
  dialogs: {
    "compare-calls": CompareDialog,
    "by-bar": ByBarDialog,
    dust: DustDialog,
    music: MusicDialog,
    playable: PlayableDialog,
    small: SmallDialog,
    trim: TrimDialog,
    print: PrintDialog,
  },
  doings: (sheet) => [
    ...things(sheet.calls).map((c) => ({
      key: c.id,
      kind: "call",
      text: `Call ${c.name}`,
      note: plural(c.instruments.length, "row"),
      run: () => {
        show("calls");
        void call(c.instruments, "only");
      },
    })),
    command("A call from the music", "", () => set({ dialog: "music" })),
    command("Dust: what nobody plays", "", () => set({ dialog: "dust" })),
    command("Memory by bar", "", () => set({ dialog: "by-bar" })),
    command("Could people play it?", "", () => set({ dialog: "playable" })),
    command("Make a small set", "", () => set({ dialog: "small" })),
    command("Compare two calls", "", () => set({ dialog: "compare-calls" })),
    command("Show only what is ready", "", () => set((s) => ({ readyOnly: !s.readyOnly }))),
    command("Call the selection", "C", () => void call([...get().selection], "call")),
    command("Rest the selection", "X", () => void call([...get().selection], "rest")),
  ],
});
