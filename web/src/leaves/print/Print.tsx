import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../model/api";
import { deliveriesOf } from "../../model/deliveries";
import { isGoing, type PrintRow, printOf, printsOf, useLookAgain } from "../../model/prints";
import { attempt, set, useApp } from "../../model/store";
import { when } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { chosenPrint, useChosenPrint } from "./chosen";
import { Deliveries, DeliveryView } from "./Deliveries";
import { Proof } from "./Proof";
import { words } from "./words";

const say = words.print;

/** Print is where stems become audio, are proved, and are heard. */
export function Print() {
  const sheet = useApp((s) => s.sheet)!;
  const { data } = useQuery(printsOf(sheet.id));
  const { data: handed } = useQuery(deliveriesOf(sheet.id));
  const chosen = useChosenPrint((s) => s.id);
  const delivery = useChosenPrint((s) => s.delivery);
  const deliveries = handed?.deliveries ?? [];
  const seen = deliveries.find((d) => d.id === delivery);
  const prints = data?.prints ?? [];
  const at = prints.find((p) => p.id === chosen) ?? prints[0];
  const going = prints.filter(isGoing).length;
  const note = `${say.prints(prints.length)}${going > 0 ? say.underWay(going) : ""}`;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title={say.print} note={prints.length > 0 ? note : ""}>
        <button type="button" className="button" onClick={() => set({ dialog: "record-over" })}>
          {say.recordOver}
        </button>
        <button type="button" className="button" onClick={() => set({ dialog: "bring-in" })}>
          {say.bringInRecordings}
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={data?.ready === false}
          onClick={() => set({ dialog: "new-print" })}
        >
          {say.printCues}
        </button>
      </LeafHead>
      {data && prints.length === 0 && deliveries.length === 0 && <NoPrint ready={data.ready} />}
      {(at || deliveries.length > 0) && (
        <div className="flex min-h-0 flex-1">
          <div className="w-[250px] shrink-0 overflow-y-auto border-line border-r">
            <ul aria-label={say.Prints}>
              {prints.map((p) => (
                <One key={p.id} print={p} on={p === at && !seen} />
              ))}
            </ul>
            <Deliveries list={deliveries} />
          </div>
          {seen ? (
            <DeliveryView key={seen.id} delivery={seen} />
          ) : at ? (
            <Chosen key={at.id} print={at} prints={prints} />
          ) : (
            <NoPrint ready={data?.ready === true} />
          )}
        </div>
      )}
    </div>
  );
}

function NoPrint({ ready }: { ready: boolean }) {
  return (
    <Empty
      says={say.stemsAndTheProof}
      steps={[
        { text: say.printCues, run: () => set({ dialog: "new-print" }), off: !ready },
        { text: say.bringInRecordings, run: () => set({ dialog: "bring-in" }), off: !ready },
      ]}
    >
      {ready ? say.printTheMusic : say.thisServerHasNoAudio}
    </Empty>
  );
}

/** stateOf says in a word or two how a print stands. */
function stateOf(p: PrintRow) {
  switch (p.state) {
    case "taking":
      return say.filesArriving;
    case "waiting":
      return say.waiting;
    case "running":
      return p.leftS > 0 ? say.printingSLeft(Math.ceil(p.leftS)) : say.printing;
    case "proving":
      return say.checking;
    case "stopped":
      return say.stopped;
    case "failed":
      return say.notPrinted;
    default:
      if (p.ask.over) return say.recordedOver;
      return p.faults > 0 ? `! ${say.marks(p.faults)}` : say.addsUp;
  }
}

function One({ print: p, on }: { print: PrintRow; on: boolean }) {
  const share = p.of > 0 ? Math.min(1, p.done / p.of) : 0;
  return (
    <li>
      <button
        type="button"
        aria-current={on}
        data-print={p.title}
        className={`w-full px-3 py-1.5 text-left ${on ? "bg-band" : "hover:bg-band"}`}
        onClick={() => chosenPrint.setState({ id: p.id, delivery: null, against: null, from: 0, to: 0 })}
      >
        <span className="flex gap-2">
          <span className="truncate">{p.title}</span>
          <span className="ml-auto shrink-0 text-soft">
            {p.recorded ? say.recorded : p.ask.over ? say.rows : say.v(p.version)}
          </span>
        </span>
        <span className={`block truncate ${p.faults > 0 || p.state === "failed" ? "text-accent" : "text-soft"}`}>
          {stateOf(p)}
        </span>
        {isGoing(p) && p.state !== "waiting" && (
          <span className="mt-1 block h-[3px] bg-line">
            <span className="block h-full bg-ink" style={{ width: `${share * 100}%` }} />
          </span>
        )}
      </button>
    </li>
  );
}

function Chosen({ print: p, prints }: { print: PrintRow; prints: readonly PrintRow[] }) {
  const { data } = useQuery(printOf(p.id, p.state, p.line));
  return (
    <section aria-label={p.title} className="flex min-h-0 min-w-0 flex-1 flex-col" data-state={p.state}>
      <Doing key={p.id} print={p} />
      {data?.report && <Proof print={data} report={data.report} prints={prints} />}
      {data && !data.report && !p.ask.over && data.files.length > 0 && !isGoing(p) && (
        <p className="px-3 py-2 text-soft">{say.filesNotProvedYet(data.files.length)}</p>
      )}
    </section>
  );
}

/** Doing is how a print stands, and what can be done with it. */
function Doing({ print: p }: { print: PrintRow }) {
  const sheet = useApp((s) => s.sheet)!;
  const lookAgain = useLookAgain(sheet.id);
  const [sure, setSure] = useState(false);
  const params = { params: { path: { id: p.id } } };
  const run = async (what: () => Promise<unknown>) => {
    await attempt(what);
    await lookAgain();
  };
  const kind = p.ask.samples === "float" ? say.floatingPoint : say.bits(p.ask.samples);
  return (
    <div className="flex shrink-0 items-start gap-3 border-line border-b px-3 py-1.5">
      <div className="min-w-0 flex-1">
        <strong className={`block font-serif text-[15px] ${p.faults > 0 ? "text-accent" : ""}`} data-part="print-line">
          {p.line || (p.reason ? p.reason : stateOf(p))}
        </strong>
        <span className="block text-soft">
          {p.recorded ? say.recordedElsewhere : `${p.ask.rateHz / 1000} kHz, ${kind}${p.ask.dry ? say.dry : ""}`},{" "}
          {p.by}, {when(p.made)}
          {p.line && p.reason && `; ${p.reason}`}
        </span>
      </div>
      <span className="flex shrink-0 gap-1.5">
        {isGoing(p) && (
          <button
            type="button"
            className="button"
            onClick={() => void run(() => answer(api.POST("/api/prints/{id}/stop", params)))}
          >
            {say.stop}
          </button>
        )}
        {(p.state === "stopped" || p.state === "failed" || (p.recorded && p.state === "done")) && (
          <button
            type="button"
            className="button"
            onClick={() => void run(() => answer(api.POST("/api/prints/{id}/resume", params)))}
          >
            {p.recorded ? say.proveAgain : say.goOn}
          </button>
        )}
        {p.state === "done" && !p.ask.over && (
          <>
            <a className="button" href={`/api/prints/${p.id}/package`} title={say.allFilesWithADelivery}>
              {say.download}
            </a>
            <button type="button" className="button" onClick={() => set({ dialog: "deliver" })}>
              {say.deliver}
            </button>
          </>
        )}
        {!isGoing(p) &&
          (sure ? (
            <button
              type="button"
              className="button button-main"
              onBlur={() => setSure(false)}
              onClick={() => void run(() => answer(api.DELETE("/api/prints/{id}", params)))}
            >
              {say.deleteItsAudio}
            </button>
          ) : (
            <button type="button" className="button" onClick={() => setSure(true)}>
              {say.delete}
            </button>
          ))}
      </span>
    </div>
  );
}
