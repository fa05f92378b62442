import worklet from "../sound/worklet.js?url";
import { tell } from "./store";
import { words } from "./words";

const say = words.loudspeakers;

/** The rate of the sound that machines send as it is played, Hz, and those that music is made
 * at ahead. */
const rateHz = 48000;
const rates = [44100, 48000, 88200, 96000];

/** What stands for no level at all, dBFS. */
export const silence = -120;

/** Level is how strong what is heard is, dBFS. */
export interface Level {
  rms: number;
  peak: number;
}

export const noLevel: Level = { rms: silence, peak: silence };

/** canSound tells whether the page may play: on the machine itself, or over TLS. */
export const canSound = () => isSecureContext && "AudioWorkletNode" in globalThis;

/** maySound is canSound, and says so where it may not. */
export function maySound(): boolean {
  if (!canSound()) tell(say.soundNeedsASecurePage, "refused");
  return canSound();
}

const contexts = new Map<string, Promise<AudioContext>>();

/** opened is a way to the sound device at a rate; without one, at its own where music is made
 * at that. */
async function opened(rate?: number): Promise<AudioContext> {
  let context = new AudioContext({ sampleRate: rate, latencyHint: "interactive" });
  if (!rates.includes(context.sampleRate)) {
    void context.close();
    context = new AudioContext({ sampleRate: rateHz, latencyHint: "interactive" });
  }
  await context.audioWorklet.addModule(worklet);
  return context;
}

/** speakers is a way to the loudspeakers, opened once for a purpose. */
function speakers(purpose: "played" | "performed"): Promise<AudioContext> {
  let opening = contexts.get(purpose);
  if (!opening) {
    opening = opened(purpose === "played" ? rateHz : undefined);
    contexts.set(purpose, opening);
  }
  return opening;
}

/** loudspeakers are what sound files are heard through, as music made ahead is. */
export async function loudspeakers(): Promise<AudioContext> {
  const context = await speakers("performed");
  wake();
  return context;
}

/** loudspeaker makes a way to the loudspeakers: for rows as they are played, at the rate of the
 * machines, and for music made ahead at that of the sound device. Browsers allow it on a key or
 * a click. */
export async function loudspeaker(
  processor: "played" | "performed",
  heard: (m: never) => void,
): Promise<AudioWorkletNode> {
  const context = await speakers(processor);
  wake();
  const node = new AudioWorkletNode(context, processor, { numberOfInputs: 0, outputChannelCount: [2] });
  node.port.onmessage = (e) => heard(e.data as never);
  node.connect(context.destination);
  return node;
}

/** wake lets sound go on that the browser has stopped. */
export function wake() {
  for (const opening of contexts.values())
    void opening.then((context) => {
      if (context.state === "suspended") void context.resume();
    });
}

/** levelOf is a mean square and a peak in dBFS, to a tenth. */
export function levelOf(square: number, peak: number): Level {
  const db = (x: number, per: number) => Math.max(silence, x > 0 ? per * Math.log10(x) : silence);
  return { rms: Math.round(db(square, 10) * 10) / 10, peak: Math.round(db(peak, 20) * 10) / 10 };
}

/** lineTo is the address of a WebSocket of a template. */
export const lineTo = (template: string, what: "listen" | "perform") =>
  `${location.origin.replace(/^http/, "ws")}/api/templates/${template}/${what}`;
