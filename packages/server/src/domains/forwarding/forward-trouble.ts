import { formatDuration, US_PER_SECOND } from "@halvik/core/base/time";
import type { OwnObservation } from "@halvik/core/normalise";
import type { Forwarders } from "./forwarders.js";

/** A receiver that is started again is none yet. */
const LASTS_US = 60 * US_PER_SECOND;
const SAID_AGAIN_US = 30 * US_PER_SECOND;

/** Says of forwards what Halvik says of itself: that one cannot deliver, as long as it lasts, and what was lost of it. */
export class ForwardTrouble {
  private reportedUs = new Map<string, number>();

  tell(forwarders: Pick<Forwarders, "failing" | "takeOverflow">, nowUs: number): OwnObservation[] {
    const failing = forwarders.failing().filter((f) => nowUs - f.us >= LASTS_US);
    const due = failing.filter(
      (f) => nowUs - (this.reportedUs.get(f.name) ?? Number.NEGATIVE_INFINITY) >= SAID_AGAIN_US,
    );
    this.reportedUs = new Map(
      failing.map((f) => [f.name, due.includes(f) ? nowUs : (this.reportedUs.get(f.name) ?? nowUs)]),
    );
    return [
      ...due.map(
        ({ name, us, why }): OwnObservation => ({
          event: "forward-failing",
          severity: 3,
          outcome: "failure",
          subject: name,
          text: `“${name}” has delivered nothing for ${formatDuration(nowUs - us)}: ${why}. What is to be passed on waits on disk.`,
        }),
      ),
      ...[...forwarders.takeOverflow()].map(
        ([name, count]): OwnObservation => ({
          event: "records-lost",
          severity: 3,
          outcome: "failure",
          subject: name,
          text: `${count} ${count === 1 ? "message was" : "messages were"} not passed on by “${name}”: its queue is full. They are stored here.`,
          data: [["count", String(count)]],
        }),
      ),
    ];
  }
}
