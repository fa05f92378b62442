/** A frame rate as a ratio; with drop, timecode leaves out numbers (SMPTE ST 12-1). */
export interface FrameRate {
  num: number;
  den: number;
  drop: boolean;
}

/** counted is how many frames a second of timecode counts. */
export const counted = (r: FrameRate) => Math.ceil(r.num / r.den);

const dropped = (r: FrameRate) => (r.drop ? counted(r) / 15 : 0);

const two = (n: number) => String(n).padStart(2, "0");

/** timecode writes a frame: "01:00:00:00", at drop-frame rates "01:00:00;00". */
export function timecode(r: FrameRate, frame: number): string {
  const c = counted(r);
  const d = dropped(r);
  let f = Math.round(frame);
  if (f < 0) return `-${timecode(r, -f)}`;
  if (d > 0) {
    const minute = 60 * c - d;
    const ten = 600 * c - 9 * d;
    const rest = f % ten;
    f += 9 * d * Math.floor(f / ten) + (rest >= d ? d * Math.floor((rest - d) / minute) : 0);
  }
  const at = (frames: number, most: number) => two(Math.floor(f / frames) % most);
  return `${at(3600 * c, 24)}:${at(60 * c, 60)}:${at(c, 60)}${r.drop ? ";" : ":"}${two(f % c)}`;
}

/** frameOf reads a timecode, or a whole number of frames; null for what is none. */
export function frameOf(r: FrameRate, text: string): number | null {
  const plain = text.trim();
  if (/^\d+$/.test(plain)) return Number(plain);
  const m = /^(\d{1,2})[:.;](\d{1,2})[:.;](\d{1,2})[:.;,](\d{1,2})$/.exec(plain);
  if (!m) return null;
  const [hours, minutes, seconds, frames] = m.slice(1).map(Number) as [number, number, number, number];
  const c = counted(r);
  const d = dropped(r);
  if (hours > 23 || minutes > 59 || seconds > 59 || frames >= c) return null;
  if (seconds === 0 && minutes % 10 !== 0 && frames < d) return null; // numbers that are left out
  const all = 60 * hours + minutes;
  return (60 * all + seconds) * c + frames - d * (all - Math.floor(all / 10));
}

/** secondsOf is how long frames last. */
export const secondsOf = (r: FrameRate, frames: number) => (frames * r.den) / r.num;

/** clock writes how long something is: 1:30, or 1:02:03. */
export function clock(seconds: number): string {
  const s = Math.round(seconds);
  const minutes = Math.floor(s / 60);
  return minutes < 60 ? `${minutes}:${two(s % 60)}` : `${Math.floor(minutes / 60)}:${two(minutes % 60)}:${two(s % 60)}`;
}
