import { Fragment, type PointerEvent } from "react";
import { type LeafName, leafOf, leaves } from "../leaves";
import type { Leaf } from "../leaves/leaf";
import { set, unfold, useApp } from "../model/store";
import { LeafGuard } from "./LeafGuard";
import { RightClick } from "./RightClick";
import { words } from "./words";

const say = words.foldedSheet;

export function FoldedSheet() {
  const open = useApp((s) => s.open);
  const grow = useApp((s) => s.widths);
  const setGrow = (widths: typeof grow) => set({ widths });
  return (
    <div className="flex min-h-0 flex-1 border-line border-y">
      <RightClick>
        {leaves.map((leaf) => {
          const { name, title, Content } = leaf;
          const before = open[open.indexOf(name) - 1];
          if (!open.includes(name)) return <Spine key={name} leaf={leaf} />;
          return (
            <Fragment key={name}>
              {before && <Crease left={before} right={name} grow={grow} setGrow={setGrow} />}
              <section
                aria-label={title}
                data-leaf={name}
                className="relative flex min-w-0 flex-col overflow-hidden border-line border-r"
                style={{ flex: `${10 * grow[name]} 1 0` }} // below 1 in all, they would not fill the line
              >
                <LeafGuard leaf={title}>
                  <Content />
                </LeafGuard>
              </section>
            </Fragment>
          );
        })}
      </RightClick>
    </div>
  );
}

function Spine({ leaf }: { leaf: Leaf<LeafName> }) {
  const { name, title, number } = leaf;
  const sheet = useApp((s) => s.sheet)!;
  const rig = useApp((s) => s.rig);
  const figure = leaf.figure(sheet, rig);
  return (
    <button
      type="button"
      data-spine={name}
      onClick={(e) => unfold(name, e.shiftKey)}
      title={say.altWithShiftBeside(title, figure, number)}
      className="flex w-[26px] shrink-0 flex-col items-center border-line border-r bg-spine py-2 [background-image:linear-gradient(90deg,color-mix(in_oklch,var(--ink)_5%,transparent),transparent_45%,transparent_55%,color-mix(in_oklch,var(--ink)_4%,transparent))] hover:bg-band"
    >
      <span className="text-[11px] text-soft">{number}</span>
      <span className="mt-2 rotate-180 font-semibold font-serif text-[14px] [writing-mode:vertical-rl]">{title}</span>
      <span className="mt-auto rotate-180 text-[12px] text-soft [writing-mode:vertical-rl]">{figure}</span>
    </button>
  );
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
      aria-label={say.widthOfAnd(leafOf(left).title, leafOf(right).title)}
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
