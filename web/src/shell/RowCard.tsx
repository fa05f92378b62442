import { Popover } from "radix-ui";
import { useCatalogue } from "../model/catalogue";
import { keyName } from "../model/keys";
import { lookUp, set, useApp } from "../model/store";
import { emblemOf, librariesOf, mib, pathOf, seatText } from "../model/template";
import { Card } from "../parts/Card";
import { Emblem } from "../parts/Emblem";
import { words } from "./words";

const say = words.rowCard;

/** RowCard tells what the row under the cursor is: the instrument, where it plays, and what plays it. */
export function RowCard({ id }: { id: string }) {
  const sheet = useApp((s) => s.sheet)!;
  const open = useApp((s) => s.card);
  const cat = useCatalogue();
  const i = sheet.instruments.byId.get(id);
  if (!i) return null;
  const patches = i.patches.flatMap((p) => sheet.patches.byId.get(p) ?? []);
  const sound = patches.map((p) => cat?.sounds.find((s) => s.id === p.sound)).find(Boolean);
  const low = Math.min(...patches.map((p) => p.keyLow));
  const high = Math.max(...patches.map((p) => p.keyHigh));
  const middleC = cat?.middleC ?? 4;
  const ready = sheet.facts.get(id)?.readyMib ?? 0;
  return (
    <Popover.Root open={open} onOpenChange={(card) => set({ card })}>
      <Popover.Trigger className="button h-6" title={say.whatItIsAndWhere}>
        {say.card}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="floating z-40 w-[360px] p-3"
          side="top"
          align="end"
          sideOffset={6}
          aria-label={say.cardOf(i.name)}
          data-part="row-card"
        >
          <h3 className="text-[15px]">
            <Emblem of={emblemOf(sheet, i)} /> {i.name}
            {i.short && <span className="font-normal font-sans text-soft"> {i.short}</span>}
          </h3>
          <p className="mb-2 text-soft">{pathOf(sheet, i.section)}</p>
          <Card sound={sound} middleC={middleC} />
          <dl className="grid grid-cols-[90px_1fr] gap-y-0.5">
            {patches.length > 0 && (
              <Line name={say.plays} text={say.to(keyName(low, middleC), keyName(high, middleC))} />
            )}
            {i.articulations.length > 0 && <Line name={say.articulations} text={i.articulations.join(", ")} />}
            {patches.map((p, n) => (
              <Line
                key={p.id}
                name={n === 0 ? say.patch : say.with}
                text={p.name}
                run={() => {
                  set({ card: false });
                  lookUp(p.library, p);
                }}
              />
            ))}
            {patches.length > 0 && (
              <Line
                name={say.library}
                text={librariesOf(sheet, i)
                  .map((l) => l.name)
                  .join(", ")}
              />
            )}
            {i.seat && <Line name={say.seat} text={seatText(sheet, i)} />}
            {ready > 0 && <Line name={say.memory} text={mib(ready)} />}
            {i.notes && <Line name={say.notes} text={i.notes} />}
          </dl>
          {patches.length > 0 && !sound && <p className="mt-2 text-soft">{say.whichInstrument}</p>}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Line({ name, text, run }: { name: string; text: string; run?: () => void }) {
  return (
    <>
      <dt className="text-soft">{name}</dt>
      <dd className="min-w-0">
        {run ? (
          <button type="button" className="link text-left" onClick={run}>
            {text}
          </button>
        ) : (
          text
        )}
      </dd>
    </>
  );
}
