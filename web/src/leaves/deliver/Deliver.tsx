import { useQuery } from "@tanstack/react-query";
import { busKinds } from "../../model/buskinds";
import { computed } from "../../model/queries";
import { set, useApp } from "../../model/store";
import { bytes, plural } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { Cost } from "./Cost";
import { Folds } from "./Folds";
import { StemSheet } from "./StemSheet";

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
    ? `${plural(cost.stems, "stem")}, ${plural(cost.files, "file")}${minutes ? `, ${bytes(cost.bytes)}` : ""}`
    : "";
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title="Deliver" note={note}>
        <button type="button" className="button" onClick={() => set({ dialog: "stems" })}>
          Stems from…
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "rules" })}>
          Stem rules…
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "returns" })}>
          Returns…
        </button>
        <button
          type="button"
          className="button button-main"
          title="See what groups, returns and sends the stems ask for, then make them"
          disabled={empty}
          onClick={() => set({ dialog: "wiring" })}
        >
          Compute the wiring…
        </button>
      </LeafHead>
      {empty ? (
        <Empty
          says="Begin with what must be handed over."
          steps={[{ text: "Write down the stems", run: () => set({ dialog: "stems" }) }]}
        >
          Write down the stems, or paste the list you were sent: the rest of the wiring follows from it.
        </Empty>
      ) : (
        <div className="@container flex min-h-0 flex-1 flex-col">
          <div className="flex min-h-0 flex-1 flex-col @min-[860px]:flex-row">
            <Folds />
            {chosen && <StemSheet />}
          </div>
          {!chosen && (
            <p className="shrink-0 border-line border-t px-3 py-1.5 text-soft" data-part="hint">
              Choose a stem to say how it is delivered. Drag a stem onto another to make it part of that one, or onto
              the mix to let it stand alone. Guides are in no stem.
            </p>
          )}
          {cost && <Cost cost={cost} />}
        </div>
      )}
    </div>
  );
}
