import { createSocket } from "node:dgram";
import { createServer } from "node:net";
import { threadId } from "node:worker_threads";

/** Below what systems give to sockets that ask for any port: those of other tests, and of every connection, never lie here. */
const FIRST = 10_240;
/** Ports of one place where tests run; 64 places fill what is free. */
const EACH = 350;
const PLACES = 64;
/** Threads of one process, or processes that are numbered by whoever runs the interface's tests. */
const PLACE = (threadId + Number(process.env.TEST_PARALLEL_INDEX ?? 0)) % PLACES;

// begun anywhere: what another run on this machine takes is met seldom
let next = Math.floor(Math.random() * EACH);

/**
 * A port that nobody listens on, by TCP nor by UDP, and that no other test of this run is given.
 * A port that was merely free a moment ago is not enough: what a role binds late, another's socket had taken by then.
 */
export async function freePort(): Promise<number> {
  for (let tried = 0; tried < EACH; tried++) {
    const port = FIRST + PLACE * EACH + (next++ % EACH);
    if ((await freeTcp(port)) && (await freeUdp(port))) return port;
  }
  throw new Error(`no free port among the ${EACH} of place ${PLACE}`);
}

function freeTcp(port: number): Promise<boolean> {
  return new Promise((done) => {
    const server = createServer();
    server.once("error", () => done(false));
    server.listen(port, "127.0.0.1", () => server.close(() => done(true)));
  });
}

function freeUdp(port: number): Promise<boolean> {
  return new Promise((done) => {
    const socket = createSocket("udp4");
    socket.once("error", () => socket.close(() => done(false)));
    socket.bind(port, "127.0.0.1", () => socket.close(() => done(true)));
  });
}
