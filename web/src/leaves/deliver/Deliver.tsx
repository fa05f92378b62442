import { useQuery } from "@tanstack/react-query";
import { busKinds } from "../../model/buskinds";
import { computed } from "../../model/queries";
import { set, useApp } from "../../model/store";
import { bytes } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { Cost } from "./Cost";
import { Folds } from "./Folds";
import { StemSheet } from "./StemSheet";
import { words } from "./words";

/** Deliver is where a person says what must be handed over. */
export function Deliver() {
  const sheet = useApp((s) => s.sheet)!;
  const chosen = useApp((s) => {
    const bus = s.bus && s.sheet?.buses.byId.get(s.bus);
    return bus ? busKinds[bus.kind].stem : false;
  });
  const minutes = sheet.settings.deliver?.minutes ?? 0;
  const { data: cost } = useQuery(computed.delivery(sheet.id, sheet.revision, minutes));
  const empty = cost?.stems === 0;
  const note = cost
    ? `${words.deliver.stems(cost.stems)}, ${words.deliver.files(cost.files)}${minutes ? `, ${bytes(cost.bytes)}` : ""}`
    : "";
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title={words.deliver.deliver} note={note}>
        <button type="button" className="button" onClick={() => set({ dialog: "stems" })}>
          {words.deliver.stemsFrom}
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "rules" })}>
          {words.deliver.stemRules}
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "returns" })}>
          {words.deliver.returns}
        </button>
        <button
          type="button"
          className="button button-main"
          title={words.deliver.seeWhatGroupsReturns}
          disabled={empty}
          onClick={() => set({ dialog: "wiring" })}
        >
          {words.deliver.computeTheWiring}
        </button>
      </LeafHead>
      {empty ? (
        <Empty
          says={words.deliver.beginWithWhatIsDelivered}
          steps={[{ text: words.deliver.writeDownTheStems, run: () => set({ dialog: "stems" }) }]}
        >
          {words.deliver.writeDownTheStemsOrPaste}
        </Empty>
      ) : (
        <div className="@container flex min-h-0 flex-1 flex-col">
          <div className="flex min-h-0 flex-1 flex-col @min-[860px]:flex-row">
            <Folds />
            {chosen && <StemSheet />}
          </div>
          {!chosen && (
            <p className="shrink-0 border-line border-t px-3 py-1.5 text-soft" data-part="hint">
              {words.deliver.chooseAStemToSay}
            </p>
          )}
          {cost && <Cost cost={cost} />}
        </div>
      )}
    </div>
  );
}
