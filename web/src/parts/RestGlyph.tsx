import { words } from "./words";
/** RestGlyph shows the state of an instrument by shape: a whole-bar rest for
 * tacet, a filling ring for tuning, a note head for ready, an accent for
 * failed, a waveform where a recording plays. */
export function RestGlyph({ state, progress = 0, reason }: { state?: string; progress?: number; reason?: string }) {
  const label =
    state === "tuning"
      ? words.restGlyph.tuningPercent(Math.round(progress * 100))
      : state === "failed"
        ? words.restGlyph.failed(reason ?? "")
        : stateWord(state ?? "tacet");
  return (
    <svg width="18" height="16" viewBox="0 0 18 16" role="img" aria-label={label} data-state={state ?? "tacet"}>
      <title>{reason ? `${label} (${reason})` : label}</title>
      {shape(state, progress, reason)}
    </svg>
  );
}

/** stateWord is how people say a state. */
export const stateWord = (state: string) => (state === "printed" ? words.restGlyph.playsItsRecording : state);

function shape(state: string | undefined, progress: number, reason: string | undefined) {
  const round = 2 * Math.PI * 5;
  switch (state) {
    case "ready":
      return <ellipse cx="9" cy="8" rx="5.6" ry="4" transform="rotate(-22 9 8)" fill="var(--ink)" />;
    case "tuning":
      return (
        <>
          <circle cx="9" cy="8" r="5" fill="none" stroke="var(--line)" strokeWidth="2.6" />
          <circle
            cx="9"
            cy="8"
            r="5"
            fill="none"
            stroke="var(--accent)"
            strokeWidth="2.6"
            strokeDasharray={`${round * Math.max(0.06, progress)} ${round}`}
            transform="rotate(-90 9 8)"
          />
        </>
      );
    case "printed":
      return (
        <path
          d="M3.5 6v4M6.25 3.5v9M9 5.5v5M11.75 2.5v11M14.5 6v4"
          fill="none"
          stroke={reason ? "var(--accent)" : "var(--ink)"}
          strokeWidth="1.6"
        />
      );
    case "failed":
      return <path d="M3.5 3.5 14 8 3.5 12.5" fill="none" stroke="var(--accent)" strokeWidth="2" />;
  }
  return (
    <g fill="var(--soft)">
      <rect x="2" y="6" width="14" height="1.2" />
      <rect x="5.5" y="7" width="7" height="3.4" />
    </g>
  );
}
