/** Of another program, for tests alone. */
declare module "smpte-timecode" {
  export default function Timecode(frames: number, rate: number, drop: boolean): { toString(): string };
}
