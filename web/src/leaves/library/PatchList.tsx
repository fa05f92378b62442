import { useVirtualizer } from "@tanstack/react-virtual";
import { type DragEvent, type KeyboardEvent, type MouseEvent, useEffect, useMemo, useRef, useState } from "react";
import { type Asked, type Catalogue, type Patch, use, usePatches } from "../../model/catalogue";
import { keyName } from "../../model/keys";
import { set } from "../../model/store";
import { Emblem } from "../../parts/Emblem";
import { Empty } from "../../parts/Empty";
import { useSize } from "../../parts/useSize";
import { words } from "./words";

const say = words.patchList;

const lineHeight = 26;

interface Props {
  cat: Catalogue;
  asked: Asked;
  setAsked: (a: Asked) => void;
  chosen: Patch[];
  choose: (list: Patch[]) => void;
  wanted: string; // a patch to be chosen once it is found
  found: () => void;
  scan: () => void;
}

/** PatchList finds patches and lists them, only those in view drawn. */
export function PatchList({ cat, asked, setAsked, chosen, choose, wanted, found, scan }: Props) {
  const [text, setText] = useState(asked.text);
  useEffect(() => setText(asked.text), [asked.text]); // somebody else may ask, too
  useEffect(() => {
    const wait = setTimeout(() => text !== asked.text && setAsked({ ...asked, text }), 120);
    return () => clearTimeout(wait);
  });
  const scroller = useRef<HTMLDivElement>(null);
  const width = useSize(scroller)?.width ?? 600;
  const [view, setView] = useState({ from: 0, to: 40 });
  const { total, at, loading } = usePatches(asked, view.from, view.to);
  const virtual = useVirtualizer({
    count: total,
    getScrollElement: () => scroller.current,
    estimateSize: () => lineHeight,
    overscan: 10,
    onChange: (v) => {
      const range = v.range;
      if (range && (range.startIndex !== view.from || range.endIndex !== view.to))
        setView({ from: range.startIndex, to: range.endIndex });
    },
  });
  const [cursor, setCursor] = useState(-1);
  const [anchor, setAnchor] = useState(0);
  const ids = useMemo(() => new Set(chosen.map((p) => p.id)), [chosen]);
  const libraries = useMemo(() => new Map(cat.libraries.map((l) => [l.id, l])), [cat.libraries]);
  const sounds = useMemo(() => new Map(cat.sounds.map((s) => [s.id, s.name])), [cat.sounds]);
  useEffect(() => {
    for (let n = view.from; wanted && n <= view.to && n < total; n++) {
      const p = at(n);
      if (p?.id !== wanted) continue;
      setCursor(n);
      setAnchor(n);
      choose([p]);
      found();
    }
  });
  // what is chosen is shown as it is now
  useEffect(() => {
    const now = chosen.map((p) => {
      for (let n = view.from; n <= view.to && n < total; n++) if (at(n)?.id === p.id) return at(n)!;
      return p;
    });
    if (now.some((p, n) => p !== chosen[n])) choose(now);
  });

  const range = (a: number, b: number) => {
    const out: Patch[] = [];
    for (let n = Math.min(a, b); n <= Math.max(a, b); n++) {
      const p = at(n) ?? chosen.find((c) => c.id === at(n)?.id);
      if (p) out.push(p);
    }
    return out;
  };
  const go = (n: number, extend: boolean) => {
    const to = Math.max(0, Math.min(total - 1, n));
    setCursor(to);
    virtual.scrollToIndex(to);
    const p = at(to);
    if (extend) choose(range(anchor, to));
    else if (p) {
      setAnchor(to);
      choose([p]);
    }
  };
  const keys = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const step = { ArrowDown: 1, j: 1, J: 1, ArrowUp: -1, k: -1, K: -1, PageDown: 20, PageUp: -20 }[e.key];
    if (step) go(cursor + step, e.shiftKey);
    else if (e.key === "Home") go(0, e.shiftKey);
    else if (e.key === "End") go(total - 1, e.shiftKey);
    else if (e.key === "Enter" && chosen.length) void use(chosen.map((p) => p.id));
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  const click = (e: MouseEvent, n: number, p: Patch) => {
    setCursor(n);
    if (e.shiftKey) return choose(range(anchor, n));
    setAnchor(n);
    if (!(e.ctrlKey || e.metaKey)) return choose([p]);
    choose(ids.has(p.id) ? chosen.filter((c) => c.id !== p.id) : [...chosen, p]);
  };
  const drag = (e: DragEvent, p: Patch) => {
    const list = ids.has(p.id) ? chosen : [p];
    e.dataTransfer.setData("text/fanfold-patches", JSON.stringify(list.map((x) => x.id)));
    e.dataTransfer.effectAllowed = "copy";
  };
  const wide = width > 560;
  const slim = width < 330; // no room beside the name but for one figure
  const grid = wide
    ? "minmax(110px,1.3fr) 58px minmax(70px,.8fr) minmax(90px,1.5fr) 74px 56px"
    : slim
      ? "minmax(0,1fr) 44px"
      : "minmax(0,1fr) 58px 74px 56px";
  return (
    <div className="flex min-h-[140px] flex-1 flex-col">
      <div className="flex gap-2 border-line border-b p-2">
        <input
          type="search"
          className="field min-w-0 flex-1"
          aria-label={say.findPatches}
          placeholder={say.findVlnSpicLowBrass}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <select
          aria-label={say.order}
          className="field"
          value={asked.sort}
          onChange={(e) => setAsked({ ...asked, sort: e.target.value as Asked["sort"] })}
        >
          <option value="">{say.asListed}</option>
          <option value="name">{say.byName}</option>
          <option value="library">{say.byLibrary}</option>
          <option value="memory">{say.byMemory}</option>
        </select>
      </div>
      <div
        ref={scroller}
        role="listbox"
        tabIndex={0}
        aria-label={say.patches}
        aria-multiselectable="true"
        aria-activedescendant={cursor >= 0 ? `patch-${cursor}` : undefined}
        onKeyDown={keys}
        className="min-h-0 flex-1 overflow-y-auto focus-visible:outline-offset-[-2px]"
      >
        {total === 0 && !loading && (asked.text || asked.library) && (
          <p className="p-6 text-center text-soft">{say.noPatchMatches}</p>
        )}
        {total === 0 && !loading && !asked.text && !asked.library && (
          <Empty
            says={say.yourLibrariesStandHere}
            steps={[
              { text: say.scanAFolder, run: scan },
              { text: say.bringInARowList, run: () => set({ dialog: "import" }) },
            ]}
          >
            {say.scanAFolderOfSamples}
          </Empty>
        )}
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const p = at(v.index);
            if (!p) return null;
            return (
              // biome-ignore lint/a11y/useKeyWithClickEvents: the list around them has the keys
              <div
                key={p.id}
                id={`patch-${v.index}`}
                role="option"
                tabIndex={-1}
                aria-selected={ids.has(p.id)}
                data-patch={p.name}
                draggable
                onDragStart={(e) => drag(e, p)}
                onClick={(e) => click(e, v.index, p)}
                onDoubleClick={() => void use([p.id])}
                className={`absolute inset-x-0 grid h-[26px] cursor-default items-center gap-2 px-3 ${ids.has(p.id) ? "bg-chosen shadow-[inset_4px_0_0_var(--accent)]" : v.index % 2 ? "bg-band" : ""}`}
                style={{ top: v.start, gridTemplateColumns: grid }}
              >
                <span className="truncate font-medium" title={p.name}>
                  {p.name}
                </span>
                {!slim && (
                  <span className="truncate text-soft" title={libraries.get(p.library)?.name}>
                    <Emblem of={libraries.get(p.library)?.emblem} /> {libraries.get(p.library)?.code}
                  </span>
                )}
                {wide && <span className="truncate text-soft">{sounds.get(p.sound ?? "") ?? p.sound ?? ""}</span>}
                {wide && (
                  <span className="truncate text-soft" title={(p.map ?? []).map((m) => m.articulation).join(" · ")}>
                    {(p.map ?? []).map((m) => m.articulation).join(" · ")}
                  </span>
                )}
                {!slim && (
                  <span className="text-soft">
                    {keyName(p.keyLow, cat.middleC)}–{keyName(p.keyHigh, cat.middleC)}
                  </span>
                )}
                <span className="text-right text-soft">{Math.round(p.preloadMib).toLocaleString("en")}</span>
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}
