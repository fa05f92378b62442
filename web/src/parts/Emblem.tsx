import {
  Anchor,
  Bell,
  Bird,
  Church,
  Droplet,
  Drum,
  Feather,
  Flame,
  Gem,
  Guitar,
  Lamp,
  Leaf,
  type LucideIcon,
  Moon,
  Mountain,
  Piano,
  Shell,
  Snowflake,
  Star,
  Sun,
  Waves,
  Wheat,
  Wind,
} from "lucide-react";
import type { Schemas } from "../model/api";

export type EmblemValue = Schemas["Emblem"];

/** icons is the shipped set, as the contract names it. */
export const icons: Record<NonNullable<EmblemValue["icon"]>, LucideIcon> = {
  anchor: Anchor,
  bell: Bell,
  bird: Bird,
  church: Church,
  droplet: Droplet,
  drum: Drum,
  feather: Feather,
  flame: Flame,
  gem: Gem,
  guitar: Guitar,
  lamp: Lamp,
  leaf: Leaf,
  moon: Moon,
  mountain: Mountain,
  piano: Piano,
  shell: Shell,
  snowflake: Snowflake,
  star: Star,
  sun: Sun,
  waves: Waves,
  wheat: Wheat,
  wind: Wind,
};

/** Emblem draws the small sign of a library or a player. It stands beside the
 * name, so screen readers pass it by. */
export function Emblem({ of }: { of: EmblemValue | undefined }) {
  if (!of) return null;
  const Icon = of.icon && icons[of.icon];
  return (
    <span
      aria-hidden="true"
      data-emblem={of.icon ?? of.letters ?? "picture"}
      className="inline-grid size-4 shrink-0 place-items-center overflow-hidden align-[-3px]"
    >
      {Icon && <Icon size={14} strokeWidth={1.75} />}
      {of.letters && (
        <span className="grid size-4 place-items-center rounded-[3px] border border-soft font-semibold text-[9px] leading-none tracking-tight">
          {of.letters}
        </span>
      )}
      {of.picture && <img alt="" src={`data:image/png;base64,${of.picture}`} className="max-h-4 max-w-4" />}
    </span>
  );
}
