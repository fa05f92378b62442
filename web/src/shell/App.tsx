import { Tooltip } from "radix-ui";
import { lazy, Suspense, useEffect, useState } from "react";
import { invitedBy } from "../model/members";
import { start } from "../model/opening";
import { show } from "../model/palette";
import { usePerforming } from "../model/performing";
import { useSounding } from "../model/sounding";
import { useApp } from "../model/store";
import { BusyDialog } from "./BusyDialog";
import { ClashDialog } from "./ClashDialog";
import { Dialogs } from "./Dialogs";
import { ReadAhead } from "./Finder";
import { FoldedSheet } from "./FoldedSheet";
import { HintLine } from "./HintLine";
import { Invitation } from "./Invitation";
import { useKeys } from "./keys";
import { LockedLine } from "./LockedLine";
import { Notices } from "./Notices";
import { SignIn } from "./SignIn";
import { SinceLine } from "./SinceLine";
import { StudioLine } from "./StudioLine";
import { TitleLine } from "./TitleLine";
import { TraceLine } from "./TraceLine";
import { words } from "./words";

const say = words.app;

const ScoreStrip = lazy(() => import("./ScoreStrip"));
const PlayStrip = lazy(() => import("./PlayStrip")); // its keys come when somebody plays

export function App() {
  const person = useApp((s) => s.person);
  const ready = useApp((s) => s.sheet !== null);
  const [secret, setSecret] = useState(invitedBy);
  useEffect(() => void start(), []);
  return (
    <Tooltip.Provider delayDuration={400}>
      {secret ? (
        <Invitation secret={secret} away={() => setSecret("")} />
      ) : person === null ? (
        <SignIn />
      ) : person && ready ? (
        <Studio />
      ) : (
        <Waiting />
      )}
      <Notices />
    </Tooltip.Provider>
  );
}

function Waiting() {
  return (
    <main className="grid h-full place-items-center text-soft" aria-busy="true">
      {say.unfolding}
    </main>
  );
}

function Studio() {
  useKeys();
  const palette = useApp((s) => s.sheet!.settings.palette);
  const playing = useSounding((s) => s.open);
  const score = usePerforming((s) => s.name !== "");
  useEffect(() => show(palette), [palette]);
  return (
    <div className="flex h-full flex-col">
      <TitleLine />
      <StudioLine />
      <LockedLine />
      <SinceLine />
      <FoldedSheet />
      {score && (
        <Suspense>
          <ScoreStrip />
        </Suspense>
      )}
      {playing && (
        <Suspense>
          <PlayStrip />
        </Suspense>
      )}
      <HintLine />
      <TraceLine />
      <Dialogs />
      <ClashDialog />
      <BusyDialog />
      <ReadAhead />
    </div>
  );
}
