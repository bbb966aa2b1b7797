import { Writable } from "node:stream";
import { LineOutput } from "./line-output.js";

/** A receiver that takes its time over each piece. */
class Slow extends Writable {
  readonly pieces: string[] = [];

  constructor() {
    super({ highWaterMark: 1_000 });
  }

  override _write(piece: Buffer, _encoding: string, done: () => void): void {
    this.pieces.push(piece.toString());
    setTimeout(done, 1);
  }
}

test("lines go out together, in their order, and wait for whoever is slower; the last of them as soon as nothing more comes", async () => {
  const to = new Slow();
  const output = new LineOutput(to);
  const lines = Array.from({ length: 20_000 }, (_, i) => `${i} ${"x".repeat(40)}`);
  let waits = 0;
  for (const line of lines) {
    output.line((json) => json.text(line));
    const room = output.room();
    if (room !== undefined) {
      waits++;
      await room;
    }
  }
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(to.pieces.join("")).toBe(`${lines.map((line) => JSON.stringify(line)).join("\n")}\n`);
  expect(to.pieces.length).toBeLessThan(10);
  expect(waits).toBeGreaterThan(1);
  output.line((json) => json.text("one more"));
  expect(to.pieces.join("")).not.toContain("one more");
  await new Promise((resolve) => setTimeout(resolve, 20));
  expect(to.pieces[to.pieces.length - 1]).toBe('"one more"\n');
  expect(output.flush()).toBe(true);
});
