import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { type Calibrated, calibrate, testLink } from "../../model/balance";
import { computed } from "../../model/queries";
import { remember, remembered, useApp } from "../../model/store";
import { wait } from "../../model/template";
import { Floating } from "../../shell/Floating";
import { words } from "./words";

const say = words.calibrateDialog;

/** Taken is the test that was taken out last, of a template. */
interface Taken {
  revision: number;
  together: boolean;
}

/** CalibrateDialog takes the test of a calibration pass out, and its recordings in. */
export function CalibrateDialog({ close }: { close: () => void }) {
  const sheet = useApp((s) => s.sheet)!;
  const key = `calibration.${sheet.id}`;
  const [taken, setTaken] = useState<Taken | null>(() => remembered(key, null));
  const [together, setTogether] = useState(taken?.together ?? false);
  const { data, error } = useQuery(computed.calibration(sheet.id, sheet.revision, together));
  const { data: was } = useQuery({
    ...computed.calibration(sheet.id, sheet.revision, together, taken?.revision),
    enabled: taken !== null,
  });
  const [done, setDone] = useState<ReadonlyMap<number, Calibrated | "measuring">>(new Map());
  const at = taken && taken.together === together ? taken : null;
  const take = () => {
    if (!data) return;
    const now = { revision: data.revision, together };
    setTaken(now);
    remember(key, now);
  };
  const send = async (pair: number, file: File) => {
    setDone((d) => new Map(d).set(pair, "measuring"));
    const got = await calibrate(at!.revision, together, pair, file);
    setDone((d) => {
      const next = new Map(d);
      if (got) next.set(pair, got);
      else next.delete(pair);
      return next;
    });
  };
  return (
    <Floating title={say.measureByYourOwnRecording} open onOpenChange={close} className="w-[680px]">
      <div className="flex min-h-0 flex-col gap-3 overflow-y-auto">
        <p className="text-soft">{say.playTheTest}</p>
        <label className="flex items-center gap-2">
          {say.record}
          <select className="field" value={String(together)} onChange={(e) => setTogether(e.target.value === "true")}>
            <option value="false">{say.eachOutputPairByItself}</option>
            <option value="true">{say.everythingIntoOneFile}</option>
          </select>
          {data && <span className="text-soft">{say.takes(wait(data.seconds))}</span>}
        </label>
        {error && <p className="text-accent">{error.message}</p>}
        {data && (
          <a
            className="button button-main shrink-0 self-start"
            href={testLink(data.revision, together)}
            download
            onClick={take}
          >
            {say.takeOutTheTest}
          </a>
        )}
        {at && was && (
          <>
            <h3 className="text-[15px]">{say.theRecordings}</h3>
            <ul className="border-line border-t" data-part="recordings">
              {was.pairs.map((p, n) => {
                const got = done.get(n + 1);
                return (
                  <li key={p.name} className="flex items-center gap-3 border-line border-b py-1">
                    <span className="w-6 text-right text-soft tabular-nums">{n + 1}</span>
                    <span className="min-w-0 flex-1 truncate" title={p.name}>
                      {p.name} <span className="text-soft">{say.rows(p.rows)}</span>
                    </span>
                    {got && got !== "measuring" && (
                      <span
                        className="min-w-0 truncate text-soft"
                        title={[...got.not, ...got.changed.map((c) => `${c.name}: ${c.what.join(", ")}`)].join("\n")}
                      >
                        {say.heard(got.heard)}
                        {got.not.length > 0 && say.not(got.not.length, got.not[0] ?? "")}
                        {got.changed.length > 0 && say.changed(got.changed.length)}
                      </span>
                    )}
                    <label className="button cursor-pointer">
                      {got === "measuring" ? say.measuring : got ? say.again : say.wavFile}
                      <input
                        type="file"
                        accept=".wav,audio/wav"
                        className="sr-only"
                        aria-label={say.recordingOf(p.name)}
                        disabled={got === "measuring"}
                        onChange={(e) => {
                          const file = e.target.files?.[0];
                          if (file) void send(n + 1, file);
                          e.target.value = "";
                        }}
                      />
                    </label>
                  </li>
                );
              })}
            </ul>
          </>
        )}
      </div>
    </Floating>
  );
}
