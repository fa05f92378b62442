import { DropdownMenu } from "radix-ui";
import type { Machine } from "../../model/api";
import { fewestMoves, seatByHand } from "../../model/seating";
import { tell, useApp } from "../../model/store";
import { things } from "../../model/template";
import { words } from "./words";

const say = words.riserMenu;

/** RiserMenu is what can be done with a whole riser. */
export function RiserMenu({ machine, number }: { machine: Machine; number: number }) {
  const sheet = useApp((s) => s.sheet)!;
  const here = { machine: machine.id, riser: number };
  const name = say.riserOf(number, machine.name);
  const renumber = async () => {
    if (await seatByHand({ kind: "renumber", ...here })) tell(say.seatsAndOutputsOfFollow(name));
  };
  const empty = async () => {
    const moves = await fewestMoves({ kind: "empty", ...here, take: true });
    if (moves) tell(`${moves.text}.`);
  };
  const move = async (kind: "riser" | "copy", toMachine: string, toRiser: number) => {
    const to = say.riserOfToRiser(toRiser, sheet.machines.byId.get(toMachine)?.name ?? "");
    const done = await seatByHand({ kind, ...here, toMachine, toRiser });
    if (done) tell(kind === "copy" ? say.copiedTo(to) : say.movedTo(to));
  };
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="link" aria-label={say.actionsFor(name)}>
        {say.riser(number)}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content className="floating w-64 p-1" align="start" sideOffset={4}>
          <DropdownMenu.Item className="menu-item" onSelect={() => void renumber()}>
            {say.numberItsSeatsInScore}
          </DropdownMenu.Item>
          <DropdownMenu.Item className="menu-item" onSelect={() => void empty()}>
            {say.moveItsSeats}
          </DropdownMenu.Item>
          <Risers text={say.moveItTo} but={here} pick={(m, r) => void move("riser", m, r)} />
          <Risers text={say.copyItTo} but={here} pick={(m, r) => void move("copy", m, r)} />
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

interface RisersProps {
  text: string;
  but: { machine: string; riser: number }; // left out
  pick: (machine: string, riser: number) => void;
}

/** Risers offers every other riser. */
function Risers({ text, but, pick }: RisersProps) {
  const sheet = useApp((s) => s.sheet)!;
  return (
    <DropdownMenu.Sub>
      <DropdownMenu.SubTrigger className="menu-item">
        {text} <span>▸</span>
      </DropdownMenu.SubTrigger>
      <DropdownMenu.Portal>
        <DropdownMenu.SubContent className="floating max-h-80 w-44 overflow-y-auto p-1">
          {things(sheet.machines).flatMap((m) =>
            Array.from({ length: sheet.risers[m.id] ?? 0 }, (_, n) => n + 1)
              .filter((r) => m.id !== but.machine || r !== but.riser)
              .map((r) => (
                <DropdownMenu.Item key={`${m.id} ${r}`} className="menu-item" onSelect={() => pick(m.id, r)}>
                  {say.riserName(m.name, r)}
                </DropdownMenu.Item>
              )),
          )}
        </DropdownMenu.SubContent>
      </DropdownMenu.Portal>
    </DropdownMenu.Sub>
  );
}
