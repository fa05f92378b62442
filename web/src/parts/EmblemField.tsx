import { useState } from "react";
import { Emblem, type EmblemValue, icons } from "./Emblem";
import { words } from "./words";

const say = words.emblemField;

const side = 64; // pixels; the contract takes no more
const largest = 1 << 20; // bytes of a file that is chosen

interface Props {
  value: EmblemValue | undefined;
  set: (value: EmblemValue | undefined) => void;
}

/** EmblemField chooses letters, an icon or a picture, or nothing. */
export function EmblemField({ value, set }: Props) {
  const [reason, setReason] = useState("");
  const choose = async (file: File | undefined) => {
    if (!file) return;
    try {
      set({ picture: await drawn(file) });
      setReason("");
    } catch (e) {
      setReason((e as Error).message);
    }
  };
  return (
    <>
      <span className="self-start pt-1">{say.emblem}</span>
      <fieldset className="min-w-0">
        <legend className="sr-only">{say.emblem}</legend>
        <div className="flex items-center gap-2">
          <span className="grid size-7 shrink-0 place-items-center rounded-[3px] border border-line">
            <Emblem of={value} />
          </span>
          <input
            aria-label={say.lettersOfTheEmblem}
            placeholder={say.letters}
            maxLength={2}
            className="field w-20"
            value={value?.letters ?? ""}
            onChange={(e) => set(e.target.value.trim() ? { letters: e.target.value.trim() } : undefined)}
          />
          <label className="button cursor-pointer focus-within:outline focus-within:outline-2 focus-within:outline-accent">
            {say.picture}
            <input
              type="file"
              accept="image/png,image/svg+xml"
              aria-label={say.pictureOfTheEmblem}
              className="sr-only"
              onChange={(e) => {
                void choose(e.target.files?.[0]);
                e.target.value = "";
              }}
            />
          </label>
          <button type="button" className="link h-6 text-[12px]" disabled={!value} onClick={() => set(undefined)}>
            {say.none}
          </button>
        </div>
        <div className="mt-1.5 flex flex-wrap">
          {Object.entries(icons).map(([name, Icon]) => (
            <button
              key={name}
              type="button"
              title={name}
              aria-label={say.theIcon(name)}
              aria-pressed={value?.icon === name}
              onClick={() => set({ icon: name as keyof typeof icons })}
              className={`grid size-6 place-items-center rounded-[3px] hover:bg-band ${value?.icon === name ? "bg-chosen" : ""}`}
            >
              <Icon size={14} strokeWidth={1.75} />
            </button>
          ))}
        </div>
        <p role="status" className={reason ? "mt-1 text-[12px] text-accent" : "sr-only"}>
          {reason}
        </p>
      </fieldset>
    </>
  );
}

/** drawn makes a small picture of a PNG or SVG file: only what can be seen of it
 * is kept, whatever else the file holds. A browser runs no script of an SVG that
 * it shows as a picture, and fetches nothing for it. */
async function drawn(file: File): Promise<string> {
  if (!["image/png", "image/svg+xml"].includes(file.type)) throw new Error(say.isNeitherPngNorSvg(file.name));
  if (file.size > largest) throw new Error(say.isLargerThan1Mb(file.name));
  const picture = new Image();
  picture.src = await addressOf(file);
  try {
    await picture.decode();
  } catch {
    throw new Error(say.cannotBeRead(file.name));
  }
  const paper = document.createElement("canvas");
  paper.width = paper.height = side;
  const [w, h] = [picture.naturalWidth || side, picture.naturalHeight || side];
  const scale = side / Math.max(w, h);
  paper.getContext("2d")!.drawImage(picture, (side - w * scale) / 2, (side - h * scale) / 2, w * scale, h * scale);
  try {
    return paper.toDataURL("image/png").split(",")[1]!;
  } catch {
    throw new Error(say.holdsMoreThanADrawing(file.name));
  }
}

/** addressOf is the file as a data address, which a page may draw and read back. */
function addressOf(file: File): Promise<string> {
  return new Promise((done, failed) => {
    const reader = new FileReader();
    reader.onload = () => done(reader.result as string);
    reader.onerror = () => failed(new Error(say.cannotBeReadFile(file.name)));
    reader.readAsDataURL(file);
  });
}
