import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Id } from "../../model/api";
import { busKind } from "../../model/buskinds";
import { setPosition } from "../../model/delivering";
import { computed } from "../../model/queries";
import { sightOf, useShown } from "../../model/sight";
import { remember, remembered, set, useApp } from "../../model/store";
import { things } from "../../model/template";
import { Empty } from "../../parts/Empty";
import { LeafHead } from "../../parts/LeafHead";
import { useSize } from "../../parts/useSize";
import { Inspector } from "./Inspector";
import { Matrix } from "./Matrix";
import { NewBus } from "./NewBus";
import type { Picture } from "./picture";
import { Ribbons } from "./Ribbons";
import { Sums } from "./Sums";
import { words } from "./words";

const say = words.routing;

type View = "ribbons" | "matrix";

export function Routing() {
  const sheet = useApp((s) => s.sheet)!;
  const fold = useApp((s) => s.fold);
  const [view, setView] = useState<View>(remembered("routing", "ribbons"));
  const sight = useApp((s) => s.sight);
  const along = sightOf(sheet, sight);
  const buses = along?.buses;
  // a sightline of buses is seen as a matrix; the usual view comes back after it
  useEffect(() => setView(buses && sight ? "matrix" : remembered("routing", "ribbons")), [buses, sight]);
  const [toggled, setToggled] = useState<Id[]>([]);
  const [room, setRoom] = useState(600);
  const { only } = useShown();
  const readyOnly = useApp((s) => s.readyOnly) || along?.match?.state === "ready";
  const shows = { ...(readyOnly ? { ready: true } : {}), ...(along ? { sight: along.id } : {}) };
  const { data } = useQuery(computed.routing(sheet.id, sheet.revision, fold ?? "", toggled, room, only, shows));
  const toggle = (id: Id) => setToggled((t) => (t.includes(id) ? t.filter((x) => x !== id) : [...t, id]));
  const nothing = useApp((s) => s.selection.size === 0 && !(s.bus && s.sheet?.buses.byId.has(s.bus)));
  const empty = sheet.instruments.order.length === 0 && sheet.buses.order.length <= 2;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <LeafHead title={say.routing} note={buses ? say.along(along!.name) : ""}>
        <select
          className="field"
          aria-label={say.stemsOfTheFold}
          value={fold ?? sheet.folds.order[0] ?? ""}
          onChange={(e) => set({ fold: e.target.value })}
        >
          {things(sheet.folds).map((f) => (
            <option key={f.id} value={f.id}>
              {say.fold(f.name)}
            </option>
          ))}
        </select>
        <Switch
          label={say.howTheRoutingIsShown}
          now={view}
          choices={say.views}
          pick={(v) => {
            setView(v);
            remember("routing", v);
          }}
        />
        <Switch
          label={say.whatIsHeard}
          now={sheet.settings.deliver?.position ?? "listen"}
          choices={say.positions}
          pick={(p) => void setPosition(p)}
        />
        <NewBus />
      </LeafHead>
      {view === "ribbons" && toggled.length > 0 && <Unfolded ids={toggled} toggle={toggle} />}
      <div className="@container flex min-h-0 flex-1 flex-col">
        <div className="flex min-h-0 flex-1 flex-col @min-[900px]:flex-row">
          {view === "matrix" ? (
            <Matrix />
          ) : (
            <RibbonView picture={empty ? undefined : data} setRoom={setRoom} toggle={toggle}>
              {empty && (
                <Empty
                  says={say.hereSoundFlowsFromInstruments}
                  steps={[
                    { text: say.sayWhichStemsAreWanted, run: () => set({ dialog: "stems" }) },
                    { text: say.bringInARowList, run: () => set({ dialog: "import" }) },
                  ]}
                >
                  {say.itFollowsFromWhatMust}
                </Empty>
              )}
            </RibbonView>
          )}
          <Inspector />
        </div>
      </div>
      {nothing && (
        <p className="shrink-0 border-line border-t px-3 py-1.5 text-soft" data-part="hint">
          {say.chooseABusToSee}
        </p>
      )}
      {data && <Sums sums={data.sums} />}
    </div>
  );
}

interface RibbonViewProps {
  picture: Picture | undefined;
  setRoom: (room: number) => void;
  toggle: (id: Id) => void;
  children: ReactNode;
}

/** RibbonView measures the room there is, and asks for a drawing that fills it. */
function RibbonView({ picture, setRoom, toggle, children }: RibbonViewProps) {
  const frame = useRef<HTMLDivElement>(null);
  const size = useSize(frame);
  const room = useSettled(Math.max(200, Math.floor((size?.height ?? 600) / 20) * 20));
  useEffect(() => setRoom(room), [room, setRoom]);
  return (
    <div ref={frame} className="min-h-0 min-w-0 flex-1 overflow-y-auto overflow-x-hidden" data-part="ribbons">
      {children}
      {picture && size && (
        <Ribbons picture={picture} width={size.width} height={size.height} scroller={frame} toggle={toggle} />
      )}
    </div>
  );
}

/** useSettled waits until a figure stands still, so that dragging a crease does
 * not ask for a drawing at every width. */
function useSettled(now: number): number {
  const [settled, setSettled] = useState(now);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(now), 150);
    return () => clearTimeout(timer);
  }, [now]);
  return settled;
}

/** Unfolded lists what is folded or unfolded against its usual way. */
function Unfolded({ ids, toggle }: { ids: Id[]; toggle: (id: Id) => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const name = (id: Id) => {
    const [kind, section] = id.includes("/") ? id.split("/") : ["", id];
    const s = sheet.sections.byId.get(section ?? "");
    return [s?.name, busKind(kind ?? "")?.many].filter(Boolean).join(" ") || id;
  };
  return (
    <div className="flex shrink-0 flex-wrap items-center gap-1.5 border-line border-b px-3 py-1" data-part="toggled">
      {ids.map((id) => (
        <button key={id} type="button" className="button h-6" title={say.usualView} onClick={() => toggle(id)}>
          {name(id)} ×
        </button>
      ))}
    </div>
  );
}

interface SwitchProps<T extends string> {
  label: string;
  now: T;
  choices: Readonly<Record<T, string>>;
  pick: (v: T) => void;
}

function Switch<T extends string>({ label, now, choices, pick }: SwitchProps<T>) {
  return (
    <div role="radiogroup" aria-label={label} className="flex overflow-hidden rounded-[3px] border border-line">
      {(Object.keys(choices) as T[]).map((c) => (
        <button
          key={c}
          type="button"
          role="radio"
          aria-checked={c === now}
          className="h-[26px] px-2 aria-checked:bg-chosen aria-checked:font-semibold"
          onClick={() => c !== now && pick(c)}
        >
          {choices[c]}
        </button>
      ))}
    </div>
  );
}
