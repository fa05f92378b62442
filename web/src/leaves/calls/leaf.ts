import { call } from "../../model/changing";
import { get, set, show } from "../../model/store";
import { gib, inUse, things } from "../../model/template";
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
import { words } from "./words";

const say = words.leaf;

export const calls = leaf({
  name: "calls",
  title: say.calls,
  number: 7,
  width: 0.9,
  Content: Calls,
  figure: (_, rig) => {
    return say.gibReady(gib(inUse(rig.values())));
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
      kind: say.call,
      text: say.callName(c.name),
      note: say.rows(c.instruments.length),
      run: () => {
        show("calls");
        void call(c.instruments, "only");
      },
    })),
    command(say.aCallFromTheMusic, "", () => set({ dialog: "music" })),
    command(say.dustWhatNobodyPlays, "", () => set({ dialog: "dust" })),
    command(say.memoryByBar, "", () => set({ dialog: "by-bar" })),
    command(say.couldPeoplePlayIt, "", () => set({ dialog: "playable" })),
    command(say.makeASmallSet, "", () => set({ dialog: "small" })),
    command(say.compareTwoCalls, "", () => set({ dialog: "compare-calls" })),
    command(say.showOnlyWhatIsReady, "", () => set((s) => ({ readyOnly: !s.readyOnly }))),
    command(say.callTheSelection, "C", () => void call([...get().selection], "call")),
    command(say.restTheSelection, "X", () => void call([...get().selection], "rest")),
  ],
});
