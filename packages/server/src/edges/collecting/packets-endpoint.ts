import { Worker } from "node:worker_threads";
import type {
  Endpoint,
  EndpointCounters,
  EndpointSink,
  EndpointStatus,
} from "../../domains/intake/arrivals/endpoint.js";
import { nowUs } from "../../kernel/clock.js";
import type { FromPackets, PacketThreadData, ToPackets } from "./packet-thread.js";

/** An interface that went away may come back; the right to capture may be given meanwhile. */
const AGAIN_MS = 30_000;
/** Whoever starts endpoints waits for this one no longer: the others are not to wait for it. */
const BEGINS_WITHIN_MS = 5_000;

/** The packets of an interface of this machine: what they tell is heard from the sender that it is told as. */
export class PacketsEndpoint implements Endpoint {
  private worker: Worker | null = null;
  private again: NodeJS.Timeout | null = null;
  private stopping = false;
  private state: EndpointStatus["state"] = "stopped";
  private detail = "";
  readonly counters: EndpointCounters = {
    records: 0,
    "flow datagrams": 0,
    bytes: 0,
    "not readable packets": 0,
    "lost: dropped by the kernel": 0,
    "lost: collector behind": 0,
  };

  constructor(
    readonly name: string,
    private readonly options: Omit<PacketThreadData, "domain">,
    private readonly sink: EndpointSink,
  ) {}

  /** @throws {Error} that says what to do, when it may not capture; it goes on trying. One that begins late says so, and is not waited for */
  start(): Promise<void> {
    const data: PacketThreadData = { ...this.options, domain: Math.floor(Math.random() * 2 ** 31) };
    const worker = new Worker(new URL("./packet-thread.js", import.meta.url), { workerData: data });
    this.worker = worker;
    return new Promise((resolve, reject) => {
      const late = setTimeout(() => {
        this.detail = "tcpdump has not begun yet";
        resolve();
      }, BEGINS_WITHIN_MS);
      const ended = (reason: string | null) => {
        clearTimeout(late);
        if (this.worker !== worker) return;
        this.worker = null;
        void worker.terminate();
        if (this.stopping) return;
        this.state = "failed";
        this.detail = reason ?? "tcpdump ended";
        this.again = setTimeout(() => this.start().catch(() => undefined), AGAIN_MS);
        reject(new Error(this.detail));
      };
      worker.on("message", (message: FromPackets) => {
        if (message.type === "listening") {
          clearTimeout(late);
          this.state = "listening";
          this.detail = "";
          resolve();
        } else if (message.type === "told") this.takeReport(worker, message);
        else ended(message.reason);
      });
      worker.on("error", (e) => ended(e.message));
      worker.on("exit", () => ended(null));
    });
  }

  async stop(): Promise<void> {
    this.stopping = true;
    if (this.again !== null) clearTimeout(this.again);
    this.state = "stopped";
    const { worker } = this;
    if (worker === null) return;
    const ended = new Promise((resolve) => worker.once("exit", resolve));
    worker.postMessage({ type: "close" } satisfies ToPackets);
    await ended;
  }

  status(): EndpointStatus {
    return {
      name: this.name,
      transport: "capture",
      address: this.options.interface,
      port: 0,
      state: this.state,
      detail: this.detail,
      counters: { ...this.counters },
    };
  }

  private takeReport(worker: Worker, message: Extract<FromPackets, { type: "told" }>): void {
    const receivedUs = nowUs();
    for (const { protocol, bytes } of message.told) {
      this.counters[protocol === "flow" ? "flow datagrams" : "records"]!++;
      this.counters.bytes! += bytes.length;
      this.sink.take({ protocol, endpoint: this.name, peer: this.options.as, receivedUs, bytes, held: false });
    }
    this.counters["not readable packets"]! += message.unreadable;
    this.loss("lost: dropped by the kernel", "the kernel dropped packets before they were read", message.dropped);
    this.loss("lost: collector behind", "the collector could not keep up with its packets", message.overflow);
    worker.postMessage({ type: "done", bytes: message.bytes } satisfies ToPackets);
  }

  private loss(counter: string, reason: string, count: number): void {
    if (count === 0) return;
    this.counters[counter]! += count;
    this.sink.lost(this.name, reason, count);
  }
}
