import type { Schemas } from "../../model/api";
import { words } from "./words";

const say = words.messages;

type Report = Pick<Schemas["CompileReport"], "messages" | "total" | "missing" | "outside" | "switches">;

/** Messages lists what a compile came to. */
export function Messages({ report: r }: { report: Report }) {
  return (
    <>
      <p className="my-1 text-soft">
        {say.messagesOfThemSwitches(r.total.toLocaleString("en"), r.switches.toLocaleString("en"))}
        {r.missing.length > 0 && <b className="text-accent">{say.notInTheMap(r.missing.join(", "))}</b>}
        {r.outside > 0 && <b className="text-accent">{say.beyondItsKeys(r.outside)}</b>}
      </p>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls by keyboard */}
      <ol className="max-h-48 overflow-y-auto" aria-label={say.messages} tabIndex={0}>
        {r.messages.map((m, n) => (
          <li
            key={n}
            className={`grid grid-cols-[74px_34px_1fr_1fr] gap-2 odd:bg-band ${m.why ? "font-semibold" : ""}`}
          >
            <span className="text-right">{m.ms.toFixed(0)} ms</span>
            <span className="text-soft">{say.ch(m.channel)}</span>
            <span>{m.text}</span>
            <span className="text-soft">{m.why}</span>
          </li>
        ))}
        {r.total > r.messages.length && <li className="text-soft">{say.andMoreAll}</li>}
      </ol>
    </>
  );
}
