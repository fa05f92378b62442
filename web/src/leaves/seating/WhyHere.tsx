import { useQuery } from "@tanstack/react-query";
import { seatByHand, whyThere } from "../../model/seating";
import { useApp } from "../../model/store";
import { words } from "./words";

const say = words.whyHere;

/** WhyHere says of the one selected instrument why it sits where it sits, and
 * what every other machine would mean. */
export function WhyHere() {
  const sheet = useApp((s) => s.sheet)!;
  const selection = useApp((s) => s.selection);
  const only = selection.size === 1 ? sheet.instruments.byId.get([...selection][0]!) : undefined;
  const seated = only?.kind === "sampled" && sheet.machines.order.length > 0;
  const { data } = useQuery({
    queryKey: ["why", sheet.id, sheet.revision, only?.id],
    queryFn: () => whyThere(only!.id),
    enabled: seated,
    // what was said of the same one stays until it is asked again
    placeholderData: (said, query) => (query?.queryKey[3] === only?.id ? said : undefined),
  });
  if (!seated || !data) return null;
  return (
    <section
      className="flex shrink-0 items-start gap-3 border-line border-t px-3 py-1.5"
      aria-label={say.whyHere}
      data-part="why"
    >
      <details className="min-w-0 flex-1">
        <summary className="cursor-default truncate">
          <strong className="font-semibold">{only!.name}</strong> {only!.seat ? say.sitsHere : say.sitsNowhere}:{" "}
          {data.reasons.join("; ")}
        </summary>
        {data.elsewhere.map((e) => (
          <p key={e.machine} className="pl-4 text-soft">
            {e.machine}: {e.text}
          </p>
        ))}
      </details>
      {only!.seatByHand && (
        <button
          type="button"
          className="link text-soft"
          onClick={() => void seatByHand({ kind: "release", ids: [only!.id] })}
        >
          {say.letPlansMoveIt}
        </button>
      )}
    </section>
  );
}
