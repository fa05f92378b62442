import type { Schemas } from "../model/api";
import { keyName } from "../model/keys";
import { words } from "./words";

const say = words.card;

/** Card says what an instrument is, for people still learning the orchestra. */
export function Card({ sound, middleC }: { sound: Schemas["Sound"] | undefined; middleC: number }) {
  if (!sound) return null;
  return (
    <p className="mb-2 border-line border-l-2 pl-2 text-soft" data-card={sound.id}>
      <b className="font-semibold text-ink">{sound.name}</b>
      {say.soundsToUsuallyForStands(
        sound.about,
        keyName(sound.low, middleC),
        keyName(sound.high, middleC),
        sound.roles.join(", "),
        sound.section,
      )}
    </p>
  );
}
