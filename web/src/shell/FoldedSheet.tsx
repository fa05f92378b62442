import { Fragment, type PointerEvent, type ReactNode, useRef } from "react";
import { Calls } from "../leaves/calls/Calls";
import { Deliver } from "../leaves/deliver/Deliver";
import { Library } from "../leaves/library/Library";
import { Orchestra } from "../leaves/orchestra/Orchestra";
import { Routing } from "../leaves/routing/Routing";
import { Seating } from "../leaves/seating/Seating";
import { type LeafName, leafNames, set, unfold, useApp } from "../model/store";
import { gib, plural } from "../model/template";
import { LeafGuard } from "./LeafGuard";

/** The place of each leaf in the working order; its key is Alt and the number. */
export const leafNumber: Record<LeafName, number> = {
  deliver: 1,
  library: 2,
  orchestra: 3,
  seating: 4,
  routing: 5,
  calls: 7,
};
export const leafTitle: Record<LeafName, string> = {
  deliver: "Deliver",
  library: "Library",
  orchestra: "Orchestra",
  seating: "Seating",
  routing: "Routing",
  calls: "Calls",
};

const content: Record<LeafName, () => ReactNode> = {
  deliver: Deliver,
  library: Library,
  orchestra: Orchestra,
  seating: Seating,
  routing: Routing,
  calls: Calls,
};
export function FoldedSheet() {
  const open = useApp((s) => s.open);
  const grow = useApp((s) => s.widths);
  const setGrow = (widths: typeof grow) => set({ widths });
  const frame = useRef<HTMLDivElement>(null);
  return (
    <div ref={frame} className="flex min-h-0 flex-1 border-line border-y">
      {leafNames.map((name) => {
        const Content = content[name];
        const before = open[open.indexOf(name) - 1];
        if (!open.includes(name)) return <Spine key={name} name={name} />;
        return (
          <Fragment key={name}>
            {before && <Crease left={before} right={name} grow={grow} setGrow={setGrow} />}
            <section
              aria-label={leafTitle[name]}
              data-leaf={name}
              className="relative flex min-w-0 flex-col overflow-hidden border-line border-r"
              style={{ flex: `${10 * grow[name]} 1 0` }} // below 1 in all, they would not fill the line
            >
              <LeafGuard leaf={leafTitle[name]}>
                <Content />
              </LeafGuard>
            </section>
          </Fragment>
        );
      })}
    </div>
  );
}

function Spine({ name }: { name: LeafName }) {
  const figure = useFigure(name);
  return (
    <button
      type="button"
      data-spine={name}
      onClick={(e) => unfold(name, e.shiftKey)}
      title={`${leafTitle[name]}: ${figure}. Alt+${leafNumber[name]}; with Shift, beside`}
      className="flex w-[34px] shrink-0 flex-col items-center border-line border-r bg-spine py-2 [background-image:linear-gradient(90deg,color-mix(in_oklch,var(--ink)_5%,transparent),transparent_45%,transparent_55%,color-mix(in_oklch,var(--ink)_4%,transparent))] hover:bg-band"
    >
      <span className="text-[11px] text-soft">{leafNumber[name]}</span>
      <span className="mt-2 rotate-180 font-semibold font-serif text-[14px] [writing-mode:vertical-rl]">
        {leafTitle[name]}
      </span>
      <span className="mt-auto rotate-180 text-[12px] text-soft [writing-mode:vertical-rl]">{figure}</span>
    </button>
  );
}

/** useFigure is the one live figure on a leaf's spine. */
function useFigure(name: LeafName): string {
  const sheet = useApp((s) => s.sheet)!;
  const rig = useApp((s) => s.rig);
  switch (name) {
    case "deliver": {
      let n = 0;
      for (const b of sheet.buses.byId.values()) if (b.kind === "stem") n++;
      return plural(n, "stem");
    }
    case "library":
      return plural(sheet.libraries.order.length, "library", "libraries");
    case "orchestra":
      return plural(sheet.instruments.order.length, "instrument");
    case "seating": {
      let n = 0;
      for (const i of sheet.instruments.byId.values()) if (i.kind === "sampled" && !i.seat && !i.with) n++;
      return n === 0 ? "all seated" : `${n} unseated`;
    }
    case "routing":
      return sheet.marks === 0 ? "no marks" : plural(sheet.marks, "mark");
    case "calls": {
      let used = 0;
      for (const m of rig.values()) used += m.usedMib;
      return `${gib(used)} GiB ready`;
    }
  }
}

interface CreaseProps {
  left: LeafName;
  right: LeafName;
  grow: Readonly<Record<LeafName, number>>;
  setGrow: (g: Record<LeafName, number>) => void;
}

/** Crease is the draggable fold between two open leaves. */
function Crease({ left, right, grow, setGrow }: CreaseProps) {
  const shift = (by: number) => {
    const sum = grow[left] + grow[right];
    const l = Math.min(sum * 0.8, Math.max(sum * 0.2, grow[left] + by));
    setGrow({ ...grow, [left]: l, [right]: sum - l });
  };
  const drag = (e: PointerEvent<HTMLElement>) => {
    if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
    shift((e.movementX / innerWidth) * (grow[left] + grow[right]));
  };
  return (
    <div
      role="separator"
      aria-orientation="vertical"
      aria-valuenow={Math.round((100 * grow[left]) / (grow[left] + grow[right]))}
      aria-label={`Width of ${leafTitle[left]} and ${leafTitle[right]}`}
      tabIndex={0}
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={drag}
      onKeyDown={(e) => {
        if (e.key === "ArrowLeft" || e.key === "ArrowRight") {
          e.stopPropagation();
          shift(e.key === "ArrowLeft" ? -0.1 : 0.1);
        }
      }}
      className="-mr-[5px] -ml-[4px] z-10 w-[9px] shrink-0 cursor-col-resize hover:bg-line"
    />
  );
}
