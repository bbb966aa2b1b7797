// In which order Jest runs files where it does not know yet how long each takes: those that wait for processes first, so that nothing long is left for the end.
import Sequencer from "@jest/test-sequencer";

const LONGEST = [
  "cli/cli",
  "testing/system",
  "reports/reports",
  "testing/kinds",
  "testing/arrival",
  "notifications/ways",
  "start/start",
  "store/store",
  "testing/recount",
  "testing/ordeal",
  "testing/telling-ordeal",
  "testing/poison",
  "testing/forwarding",
  "testing/labelled",
  "testing/sniff",
  "keeping/keeping",
  "health/nodes",
  "testing/trace",
];
const rank = ({ path }) => {
  const at = LONGEST.findIndex((name) => path.includes(`/${name}.test.`));
  return at < 0 ? LONGEST.length : at;
};

export default class LongestFirst extends Sequencer {
  sort(tests) {
    return super.sort(tests).sort((a, b) => rank(a) - rank(b));
  }
}
