import { ArrowDown, ArrowUp, X } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import type { CastingList, Preference } from "../../../model/casting";
import { type Catalogue, changeCatalogue } from "../../../model/catalogue";
import { randomId } from "../../../model/sending";
import { Small } from "../../../parts/Small";
import { words } from "../words";
import { Finder } from "./Finder";

const say = words.castingLists;

const kinds: Record<Preference["kind"], string> = {
  template: say.whatTheTemplateHas,
  set: say.aSavedSetOfPatches,
  library: say.oneLibrary,
  anywhere: say.anyLibrary,
  resort: say.fallback,
};

interface Props {
  cat: Catalogue;
  list: string;
  choose: (list: string) => void;
}

/** Lists edits casting lists. Those that come with Fanfold can be copied. */
export function Lists({ cat, list, choose }: Props) {
  const there = [...cat.castings, ...cat.shipped].find((l) => l.id === list) ?? cat.shipped[0]!;
  const own = cat.castings.some((l) => l.id === there.id);
  const copy = async () => {
    const value = { ...there, id: `casting-${randomId()}`, name: say.copied(there.name), version: 1 };
    if (await changeCatalogue(cat, { kind: "put", castings: [{ at: -1, value: { ...value, default: false } }] }))
      choose(value.id);
  };
  if (own) return <Editor key={`${there.id} ${there.version}`} cat={cat} list={there} copy={copy} choose={choose} />;
  return (
    <div className="mb-2 border-line border-l-2 pl-3">
      <ol className="mb-1 list-decimal pl-5">
        {there.entries.map((e, n) => (
          <li key={n}>{kinds[e.kind]}</li>
        ))}
      </ol>
      <button type="button" className="button" onClick={() => void copy()}>
        {say.copyItToChangeIt}
      </button>
    </div>
  );
}

interface EditorProps {
  cat: Catalogue;
  list: CastingList;
  copy: () => Promise<void>;
  choose: (list: string) => void;
}

function Editor({ cat, list, copy, choose }: EditorProps) {
  const [draft, setDraft] = useState(list);
  const entries = draft.entries;
  const put = (next: Preference[]) => setDraft({ ...draft, entries: next });
  const move = (n: number, by: number) => {
    const next = [...entries];
    const [e] = next.splice(n, 1);
    next.splice(n + by, 0, e!);
    put(next);
  };
  const keep = async () => {
    const value = { ...draft, version: list.version + 1 };
    const others = value.default
      ? cat.castings
          .filter((l) => l.default && l.id !== list.id)
          .map((l) => ({ at: -1, value: { ...l, default: false } }))
      : [];
    await changeCatalogue(cat, { kind: "put", castings: [{ at: -1, value }, ...others] });
  };
  const remove = async () => {
    if (await changeCatalogue(cat, { kind: "drop", castings: [list.id] })) choose("");
  };
  return (
    <div className="mb-2 flex flex-col gap-1 border-line border-l-2 pl-3">
      <div className="flex items-center gap-3">
        <input
          className="field w-64"
          aria-label={say.nameOfTheList}
          value={draft.name}
          onChange={(e) => setDraft({ ...draft, name: e.target.value })}
        />
        <span className="text-soft">{say.version(list.version)}</span>
        <label className="flex h-7 items-center gap-1.5">
          <input
            type="checkbox"
            checked={draft.default ?? false}
            onChange={(e) => setDraft({ ...draft, default: e.target.checked })}
          />
          {say.theStudiosDefault}
        </label>
      </div>
      <ol className="flex flex-col gap-1">
        {entries.map((e, n) => (
          <li key={n} className="flex items-center gap-1.5">
            <span className="w-5 text-right text-soft">{n + 1}.</span>
            <Entry cat={cat} entry={e} put={(x) => put(entries.map((y, at) => (at === n ? x : y)))} />
            <Small label={say.up} off={n === 0} run={() => move(n, -1)}>
              <ArrowUp size={13} />
            </Small>
            <Small label={say.down} off={n === entries.length - 1} run={() => move(n, 1)}>
              <ArrowDown size={13} />
            </Small>
            <Small label={say.takeOut} run={() => put(entries.filter((_, at) => at !== n))}>
              <X size={13} />
            </Small>
          </li>
        ))}
      </ol>
      <div className="flex gap-1.5">
        <button type="button" className="button" onClick={() => put([...entries, { kind: "anywhere" }])}>
          {say.addAPreference}
        </button>
        <button type="button" className="button" onClick={() => void copy()}>
          {say.copy}
        </button>
        <button type="button" className="button" onClick={() => void remove()}>
          {say.remove}
        </button>
        <button type="button" className="button button-main" disabled={draft === list} onClick={() => void keep()}>
          {say.saveList}
        </button>
      </div>
    </div>
  );
}

function Entry({ cat, entry: e, put }: { cat: Catalogue; entry: Preference; put: (e: Preference) => void }) {
  const kind = (k: Preference["kind"]) => {
    const first = cat.libraries[0]?.id;
    put({
      kind: k,
      ...(k === "library" && first ? { library: first } : {}),
      ...(e.sounds ? { sounds: e.sounds } : {}),
    });
  };
  return (
    <>
      <select
        className="field"
        aria-label={say.whereToLook}
        value={e.kind}
        onChange={(x) => kind(x.target.value as Preference["kind"])}
      >
        {Object.entries(kinds).map(([k, text]) => (
          <option key={k} value={k}>
            {text}
          </option>
        ))}
      </select>
      {e.kind === "library" && (
        <select
          className="field"
          aria-label={say.library}
          value={e.library}
          onChange={(x) => put({ ...e, library: x.target.value })}
        >
          {cat.libraries.map((l) => (
            <option key={l.id} value={l.id}>
              {l.name}
            </option>
          ))}
        </select>
      )}
      {e.kind === "set" && (
        <input
          className="field w-36"
          aria-label={say.nameOfTheSet}
          placeholder={say.nameOfTheSet2}
          value={e.name ?? ""}
          onChange={(x) => put({ ...e, name: x.target.value })}
        />
      )}
      {(e.kind === "set" || e.kind === "resort") && <Members cat={cat} entry={e} put={put} />}
      <input
        key={(e.sounds ?? []).join()}
        className="field min-w-40 flex-1"
        aria-label={say.onlyFor}
        placeholder={say.forEveryInstrumentOrOnly}
        defaultValue={(e.sounds ?? []).join(", ")}
        onBlur={(x) => {
          const sounds = x.target.value
            .split(",")
            .map((s) => s.trim())
            .filter(Boolean);
          const { sounds: _, ...rest } = e;
          put(sounds.length ? { ...rest, sounds } : rest);
        }}
      />
    </>
  );
}

/** Members are the patches of a set, or of the last resort. */
function Members({ cat, entry: e, put }: { cat: Catalogue; entry: Preference; put: (e: Preference) => void }) {
  const patches = e.patches ?? [];
  return (
    <Popover.Root>
      <Popover.Trigger className="button">
        {patches.length > 0
          ? say.patches(patches.length)
          : e.kind === "resort"
            ? say.anyOfFiveOctaves
            : say.choosePatches}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content className="floating w-80 p-2" align="start" sideOffset={4}>
          {patches.length > 0 && (
            <button type="button" className="button mb-1" onClick={() => put({ ...e, patches: [] })}>
              {say.takeAllOut(patches.length)}
            </button>
          )}
          <Finder
            cat={cat}
            first=""
            rows={[]}
            take={(id) => put({ ...e, patches: [...patches.filter((p) => p !== id), id] })}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
