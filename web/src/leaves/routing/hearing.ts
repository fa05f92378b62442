import type { Bus } from "../../model/api";
import { busKinds } from "../../model/buskinds";
import { hearScoreAt, performing } from "../../model/performing";
import { arm, hearAt, sounding } from "../../model/sounding";
import { get } from "../../model/store";

/** runsOn tells whether effects may run on a bus, and whether it can be heard. */
export const runsOn = (b: Bus) => !busKinds[b.kind].beyond || !!busKinds[b.kind].only;

/** hearBus lets what is played be heard at a bus: a score that is open, else the rows that are armed,
 * else the selection. */
export const hearBus = {
  possible: (bus: Bus) =>
    runsOn(bus) &&
    (performing.getState().name !== "" || sounding.getState().armed.length > 0 || get().selection.size > 0),
  run: (bus: Bus) => {
    const at = busKinds[bus.kind].only ? "" : bus.id;
    const score = performing.getState().name !== "";
    const armed = sounding.getState().armed.length > 0;
    if (score) hearScoreAt({ ...performing.getState().at, bus: at, dry: false });
    if (armed || !score) hearAt({ as: "bus", bus: at });
    if (!armed && !score) void arm([...get().selection]);
  },
};
