import { useQuery } from "@tanstack/react-query";
import { GripVertical } from "lucide-react";
import { useEffect, useState } from "react";
import { change, seen } from "../../model/changing";
import { computed } from "../../model/queries";
import {
  byWeight,
  figures,
  figureText,
  planState,
  type SeatingPlan,
  type SeatingWays,
  startPlan,
  stopPlan,
  takePlan,
  type Weights,
  withOrder,
} from "../../model/seating";
import { get, useApp } from "../../model/store";
import { mib, things } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { Wishes } from "./Wishes";
import { words } from "./words";

const say = words.planDialog;

/** How often a running plan is asked how far it has come, ms. */
const often = 400;

/** PlanDialog makes a seating plan: what counts and how much, the present seats
 * beside the best plan so far, and stopping or taking it. */
export function PlanDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const { settings } = sheet;
  const { data: state } = useQuery(computed.seating(sheet.id, sheet.revision));
  const [ways, setWays] = useState<SeatingWays>(settings.seating ?? {});
  const [base] = useState(seen);
  const [fresh, setFresh] = useState(false);
  const [plan, setPlan] = useState<SeatingPlan | undefined>();
  const [numbers, setNumbers] = useState(false);
  const [over, setOver] = useState<number | null>(null); // the place under what is dragged
  const running = plan?.running ?? false;
  useEffect(() => {
    if (!running) return;
    const timer = setInterval(() => void planState().then((p) => p && setPlan(p)), often);
    return () => clearInterval(timer);
  }, [running]);
  const weights = ways.weights ?? state?.weights;
  const order = (key: keyof Weights, to: number) => {
    if (weights && key in weights) setWays({ ...ways, weights: withOrder(weights, key, to) });
  };
  const begin = async () => {
    const { name, settings: now } = get().sheet!;
    if (JSON.stringify(ways) !== JSON.stringify(now.seating ?? {})) {
      const kept = await change({ kind: "configure", name, settings: { ...now, seating: ways } }, base);
      if (!kept) return;
    }
    setPlan(await startPlan(fresh));
  };
  const leave = () => {
    if (running) void stopPlan();
    close();
  };
  const nothing = plan && !running && plan.changes === 0;
  return (
    <Floating title={say.planTheSeating} open onOpenChange={leave} className="w-[640px]">
      <div className="flex min-h-0 flex-col gap-3 overflow-y-auto">
        <table className="w-full border-collapse" data-part="plan">
          <thead>
            <tr className="text-left text-soft">
              <th className="py-1 font-normal">{say.aPlanKeepsTheseSmall}</th>
              {numbers && <th className="w-28 font-normal">{say.weight}</th>}
              <th className="w-24 text-right font-normal">{say.now}</th>
              <th className="w-28 text-right font-normal">{running ? say.bestSoFar : say.planned}</th>
            </tr>
          </thead>
          <tbody>
            {weights &&
              byWeight(weights).map((key, n) => {
                const text = figures.find(([k]) => k === key)![1];
                return (
                  <tr
                    key={key}
                    className={`border-line border-t ${over === n ? "bg-chosen" : ""}`}
                    data-figure={key}
                    onDragOver={(e) => {
                      e.preventDefault();
                      setOver(n);
                    }}
                    onDragLeave={() => setOver(null)}
                    onDrop={(e) => {
                      e.preventDefault();
                      setOver(null);
                      order(e.dataTransfer.getData("text/plain") as keyof Weights, n);
                    }}
                  >
                    <td className="py-1">
                      <button
                        type="button"
                        draggable
                        className="inline-flex h-7 cursor-grab items-center gap-2 rounded-[3px] px-1 text-left hover:bg-band"
                        aria-label={say.numberArrowUpOrDown(text, n + 1)}
                        title={say.dragItOrMove}
                        onDragStart={(e) => e.dataTransfer.setData("text/plain", key)}
                        onKeyDown={(e) => {
                          const by = { ArrowUp: -1, ArrowDown: 1 }[e.key];
                          if (!by) return;
                          e.preventDefault();
                          order(key, n + by);
                        }}
                      >
                        <GripVertical size={14} aria-hidden="true" className="text-soft" />
                        {text}
                      </button>
                    </td>
                    {numbers && (
                      <td className="py-1">
                        <Weight
                          label={say.weightOf(text)}
                          value={weights[key]}
                          keep={(x) => setWays({ ...ways, weights: { ...weights, [key]: x } })}
                        />
                      </td>
                    )}
                    <td className="text-right tabular-nums">{plan ? figureText(key, plan.now) : ""}</td>
                    <td className={`text-right tabular-nums ${better(plan, key) ? "font-semibold" : ""}`}>
                      {plan ? figureText(key, plan.then) : ""}
                      {key === "risers" && plan && !running && (
                        <span className="text-soft"> {say.ofAtLeast(plan.lowerBound)}</span>
                      )}
                    </td>
                  </tr>
                );
              })}
          </tbody>
        </table>
        <button type="button" className="link self-start text-soft" onClick={() => setNumbers(!numbers)}>
          {numbers ? say.hideTheWeights : say.setTheWeightsAsNumbers}
        </button>
        <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
          <label className="flex items-center gap-1.5">
            {say.heavyInstrumentsOnARiser}
            <input
              className="field w-16"
              type="number"
              min={0}
              max={1024}
              placeholder={say.any}
              value={ways.heavyPerRiser ?? ""}
              onChange={(e) => setWays(withField(ways, "heavyPerRiser", Number(e.target.value)))}
            />
          </label>
          <label className="flex items-center gap-1.5">
            {say.seatsKeptFree}
            <input
              className="field w-16"
              type="number"
              min={0}
              max={90}
              placeholder="0"
              value={ways.freeShare ? Math.round(100 * ways.freeShare) : ""}
              onChange={(e) => setWays(withField(ways, "freeShare", Number(e.target.value) / 100))}
            />
            %
          </label>
        </div>
        <Wishes wishes={ways.wishes ?? []} keep={(w) => setWays(withField(ways, "wishes", w.length ? w : 0))} />
        <LeftToOthers />
        {plan && plan.unseated.length > 0 && (
          <div className="text-soft" data-part="left-over">
            {say.instrumentsWouldFindNoSeat(plan.unseated.length, plan.unseated[0]!.name, plan.unseated[0]!.reason)}
          </div>
        )}
      </div>
      <div className="mt-3 flex items-center gap-2">
        <label className="flex items-center gap-1.5">
          <input type="checkbox" checked={fresh} onChange={(e) => setFresh(e.target.checked)} />
          {say.fromScratchExceptSeatsSet}
        </label>
        <span className="ml-auto text-soft" role="status" data-part="plan-state">
          {running && say.plansTriedInS(plan!.tried, plan!.seconds.toFixed(0))}
          {nothing && say.noOtherPlanIsBetter}
          {plan && !running && !nothing && say.seatsWouldChange(plan.changes)}
        </span>
        {running ? (
          <button type="button" className="button" onClick={() => void stopPlan().then((p) => p && setPlan(p))}>
            {say.stop}
          </button>
        ) : (
          <button type="button" className={plan ? "button" : "button button-main"} onClick={() => void begin()}>
            {plan ? say.planAgain : say.plan}
          </button>
        )}
        {plan && (
          <button
            type="button"
            className="button button-main"
            disabled={nothing}
            onClick={() => void takePlan().then((done) => done && close())}
          >
            {say.takeIt}
          </button>
        )}
      </div>
    </Floating>
  );
}

/** LeftToOthers says what memory a plan leaves to other templates. */
function LeftToOthers() {
  const sheet = useApp((s) => s.sheet)!;
  const rig = useApp((s) => s.rig);
  const held = things(sheet.machines).filter((m) => (rig.get(m.id)?.othersMib ?? 0) > 0);
  if (held.length === 0) return null;
  return (
    <p className="text-soft" data-part="left-to-others">
      {say.newSeatsLeaveOtherTemplates(held.map((m) => say.on(mib(rig.get(m.id)!.othersMib), m.name)).join(", "))}
    </p>
  );
}

function better(plan: SeatingPlan | undefined, key: keyof Weights): boolean {
  return plan !== undefined && plan.then[key] < plan.now[key];
}

/** withField sets a field, or leaves it out when it says nothing. */
function withField<K extends "heavyPerRiser" | "freeShare" | "wishes">(
  ways: SeatingWays,
  key: K,
  value: SeatingWays[K] | 0,
): SeatingWays {
  const { [key]: _, ...rest } = ways;
  return value ? { ...rest, [key]: value } : rest;
}

function Weight({ label, value, keep }: { label: string; value: number; keep: (x: number) => void }) {
  return (
    <input
      className="field w-24"
      type="number"
      min={0}
      max={1e9}
      step="any"
      aria-label={label}
      value={value}
      onChange={(e) => keep(Math.max(0, Math.min(1e9, Number(e.target.value))))}
    />
  );
}
