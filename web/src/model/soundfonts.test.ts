import { readFileSync } from "node:fs";
import { SoundFont2 } from "soundfont2";
import { expect, it } from "vitest";

const counts = JSON.parse(
  readFileSync(new URL("../../../internal/format/sf2/testdata/counts.json", import.meta.url), "utf8"),
) as Record<string, { presets: number; instruments: number; samples: number; smpl: number; names: string[] }>;

// Debian's open SoundFonts as npm soundfont2 reads them, another reader than
// the server's; its test holds the same figures and names.
it.each(Object.keys(counts))(
  "reads %s as the server does",
  (file) => {
    const data = readFileSync(`/usr/share/sounds/sf2/${file}`);
    const font = new SoundFont2(new Uint8Array(data));
    // The size of a chunk stands behind its name (SoundFont 2.04, section 3.1).
    const smpl = data.readUInt32LE(data.indexOf("smpl") + 4);
    const { presets, instruments, samples } = font as unknown as {
      presets: { header: { name: string; bank: number; preset: number } }[];
      instruments: unknown[];
      samples: unknown[];
    };
    const want = counts[file]!;
    expect([presets.length, instruments.length, samples.length, smpl]).toEqual([
      want.presets,
      want.instruments,
      want.samples,
      want.smpl,
    ]);
    const names = presets.map((p) => `${p.header.bank} ${p.header.preset} ${p.header.name}`);
    expect(names.sort()).toEqual(want.names);
  },
  60_000,
); // one of them is large
