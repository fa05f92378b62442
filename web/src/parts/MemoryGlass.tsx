import { gib, mib } from "../model/template";
import { words } from "./words";

const say = words.memoryGlass;

export interface GlassPart {
  tint: string;
  name: string;
  mib: number;
  elsewhere?: boolean; // held by other templates
}

const STRIPES = "repeating-linear-gradient(135deg, var(--tint-grey) 0 3px, transparent 3px 6px)";

/** MemoryGlass is a machine's memory as one bar: in use now, tinted by
 * section, and outlined what it will be after a call. */
export function MemoryGlass({
  name,
  parts,
  limit,
  after,
  tall,
}: {
  name: string;
  parts: GlassPart[];
  limit: number;
  after?: number;
  tall?: boolean;
}) {
  const used = parts.reduce((n, p) => n + p.mib, 0);
  const share = (x: number) => `${Math.min(100, (100 * x) / Math.max(1, limit))}%`;
  const over = after !== undefined && after > limit;
  return (
    <div
      role="img"
      aria-label={say.ofGibInUse(name, gib(used), gib(limit), after === undefined ? "" : say.gibAfter(gib(after)))}
      className={`relative overflow-hidden rounded-[2px] border border-soft ${tall ? "h-[18px]" : "h-[7px]"}`}
    >
      <div className="absolute inset-0 flex">
        {parts.map((p) => (
          <div
            key={p.name}
            title={`${p.name}: ${mib(p.mib)}`}
            style={{ width: share(p.mib), background: p.elsewhere ? STRIPES : `var(--tint-${p.tint})` }}
          />
        ))}
      </div>
      {after !== undefined && (
        <div
          className={`absolute inset-y-0 left-0 border-[1.5px] border-dashed ${over ? "border-accent" : "border-ink"}`}
          style={{ width: share(after) }}
        />
      )}
    </div>
  );
}
