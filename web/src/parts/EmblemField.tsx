import { useState } from "react";
import { Emblem, type EmblemValue, icons } from "./Emblem";

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
      <span className="self-start pt-1">Emblem</span>
      <fieldset className="min-w-0">
        <legend className="sr-only">Emblem</legend>
        <div className="flex items-center gap-2">
          <span className="grid size-7 shrink-0 place-items-center rounded-[3px] border border-line">
            <Emblem of={value} />
          </span>
          <input
            aria-label="Letters of the emblem"
            placeholder="letters"
            maxLength={2}
            className="field w-20"
            value={value?.letters ?? ""}
            onChange={(e) => set(e.target.value.trim() ? { letters: e.target.value.trim() } : undefined)}
          />
          <label className="button cursor-pointer focus-within:outline focus-within:outline-2 focus-within:outline-accent">
            Picture…
            <input
              type="file"
              accept="image/png,image/svg+xml"
              aria-label="Picture of the emblem"
              className="sr-only"
              onChange={(e) => {
                void choose(e.target.files?.[0]);
                e.target.value = "";
              }}
            />
          </label>
          <button type="button" className="link h-6 text-[12px]" disabled={!value} onClick={() => set(undefined)}>
            none
          </button>
        </div>
        <div className="mt-1.5 flex flex-wrap">
          {Object.entries(icons).map(([name, Icon]) => (
            <button
              key={name}
              type="button"
              title={name}
              aria-label={`The icon ${name}`}
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
  if (!["image/png", "image/svg+xml"].includes(file.type))
    throw new Error(`${file.name} is neither PNG nor SVG; choose one of these.`);
  if (file.size > largest) throw new Error(`${file.name} is larger than 1 MB; choose a smaller picture.`);
  const picture = new Image();
  picture.src = await addressOf(file);
  try {
    await picture.decode();
  } catch {
    throw new Error(`${file.name} cannot be read as a picture; it may be broken.`);
  }
  const paper = document.createElement("canvas");
  paper.width = paper.height = side;
  const [w, h] = [picture.naturalWidth || side, picture.naturalHeight || side];
  const scale = side / Math.max(w, h);
  paper.getContext("2d")!.drawImage(picture, (side - w * scale) / 2, (side - h * scale) / 2, w * scale, h * scale);
  try {
    return paper.toDataURL("image/png").split(",")[1]!;
  } catch {
    throw new Error(`${file.name} holds more than a drawing, so it cannot be taken as one.`);
  }
}

/** addressOf is the file as a data address, which a page may draw and read back. */
function addressOf(file: File): Promise<string> {
  return new Promise((done, failed) => {
    const reader = new FileReader();
    reader.onload = () => done(reader.result as string);
    reader.onerror = () => failed(new Error(`${file.name} cannot be read.`));
    reader.readAsDataURL(file);
  });
}
