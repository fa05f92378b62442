import type { DragEvent } from "react";
import { addRows } from "../../model/changing";
import { isSession } from "../../model/drift";
import { takeFile } from "../../model/opening";
import { set, useApp } from "../../model/store";
import { played, things } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { carries, takePatches } from "./dragging";
import { ScoreSheet } from "./ScoreSheet";
import { SelectionMenu } from "./SelectionMenu";
import { SightMenu } from "./SightMenu";
import { TakeOutMenu } from "./TakeOutMenu";
import { words } from "./words";

const say = words.orchestra;

export function Orchestra() {
  const empty = useApp((s) => s.sheet!.sections.order.length === 0);
  const drop = useDrop();
  return (
    <div className="flex min-h-0 flex-1 flex-col" {...drop}>
      <Head />
      {empty ? <NoRows /> : <ScoreSheet />}
    </div>
  );
}

function Head() {
  const count = useApp((s) => played(s.sheet!));
  const rows = useApp((s) => s.sheet!.instruments.order.length);
  const only = useApp((s) => s.readyOnly);
  const ready = useApp((s) => [...s.states.values()].filter((x) => x.state === "ready").length);
  const aside = useApp((s) => things(s.sheet!.instruments).filter((i) => i.aside).length);
  return (
    <LeafHead
      title={say.orchestra}
      note={
        count > 0 || rows === 0
          ? say.instrumentsReady(count, ready, aside > 0 ? say.setAside(aside) : "")
          : say.freeRowsNoInstrumentYet(rows)
      }
    >
      <SightMenu />
      {only && (
        <button type="button" className="button" onClick={() => set({ readyOnly: false })}>
          {say.readyOnly}
        </button>
      )}
      <button type="button" className="button" onClick={() => set({ dialog: "import" })}>
        {say.bringIn}
      </button>
      <TakeOutMenu />
      <SelectionMenu />
    </LeafHead>
  );
}

/** useDrop takes a row list dropped anywhere on the leaf. */
function useDrop() {
  return {
    onDragOver: (e: DragEvent) => {
      if (e.dataTransfer.types.includes("Files") || carries(e)) e.preventDefault();
    },
    onDrop: (e: DragEvent) => {
      if (takePatches(e, {})) return;
      const file = e.dataTransfer.files[0];
      if (!file) return;
      e.preventDefault();
      if (file.name.endsWith(".json")) void takeFile(file);
      else if (isSession(file.name)) set({ dialog: "drift", importing: file });
      else set({ dialog: "import", importing: file });
    },
  };
}

function NoRows() {
  return (
    <Empty
      says={say.instrumentsAppearHereSection}
      steps={[
        { text: say.bringInARowList, run: () => set({ dialog: "import" }) },
        { text: say.startWithOneRow, run: () => void addRows("sampled", 1, null) },
        { text: say.beginWithASession, run: () => set({ dialog: "drift" }) },
      ]}
    >
      {say.dropARowListCsv}
    </Empty>
  );
}
