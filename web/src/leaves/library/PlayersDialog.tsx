import { type FormEvent, useState } from "react";
import type { Schemas } from "../../model/api";
import { type Catalogue, changeCatalogue } from "../../model/catalogue";
import { randomId } from "../../model/sending";
import { EmblemField } from "../../parts/EmblemField";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.playersDialog;

type Player = Schemas["Player"];

const fields: [keyof Player, string, number][] = [
  ["sounds", say.multitimbralParts, 1],
  ["outputs", say.outputPairs, 1],
  ["ownMib", say.itsOwnMemoryMib, 0],
  ["wakeMs", say.firstInstanceStartsIn, 0],
  ["wakeAgainMs", say.laterInstancesStartIn, 0],
  ["order", say.placeInTheLoadingOrder, 0],
  ["banks", say.banksEachOnAPort, 0],
];

const fresh = (order: number): Player => ({
  id: `player-${randomId()}`,
  name: "",
  sounds: 16,
  outputs: 16,
  ownMib: 64,
  wakeMs: 2000,
  wakeAgainMs: 500,
  order,
});

/** PlayersDialog edits the kinds of sampler that play patches. */
export function PlayersDialog({ cat, close }: { cat: Catalogue; close: () => void }) {
  const [began] = useState(cat); // what others set from here on is a clash
  const [player, setPlayer] = useState<Player>(() => cat.players[0] ?? fresh(1));
  const keep = async (e: FormEvent) => {
    e.preventDefault();
    if (await changeCatalogue(began, { kind: "put", players: [{ at: -1, value: player }] })) close();
  };
  return (
    <Floating title={say.players} open onOpenChange={close} className="w-[420px]">
      <form onSubmit={(e) => void keep(e)} className="grid grid-cols-[1fr_150px] items-center gap-2">
        <label className="contents">
          <span>{say.player}</span>
          <select
            className="field"
            value={player.id}
            onChange={(e) =>
              setPlayer(cat.players.find((p) => p.id === e.target.value) ?? fresh(cat.players.length + 1))
            }
          >
            {cat.players.map((p) => (
              <option key={p.id} value={p.id}>
                {p.name}
              </option>
            ))}
            <option value="">{say.aNewOne}</option>
            {!cat.players.some((p) => p.id === player.id) && <option value={player.id}>{say.aNewOne}</option>}
          </select>
        </label>
        <label className="contents">
          <span>{say.name}</span>
          <input
            required
            className="field"
            value={player.name}
            onChange={(e) => setPlayer({ ...player, name: e.target.value })}
          />
        </label>
        {fields.map(([key, text, least]) => (
          <label key={key} className="contents">
            <span>{text}</span>
            <input
              type="number"
              required
              min={least}
              step={key === "ownMib" ? "any" : 1}
              className="field"
              value={(player[key] as number | undefined) ?? 0}
              onChange={(e) => setPlayer({ ...player, [key]: Number(e.target.value) })}
            />
          </label>
        ))}
        <EmblemField
          value={player.emblem}
          set={(emblem) => {
            const { emblem: _, ...rest } = player;
            setPlayer(emblem ? { ...rest, emblem } : rest);
          }}
        />
        <div className="col-span-2 mt-2 flex justify-end">
          <button type="submit" className="button button-main">
            {say.save}
          </button>
        </div>
      </form>
    </Floating>
  );
}
