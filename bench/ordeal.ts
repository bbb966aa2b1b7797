import { ordeal } from "../packages/server/src/testing/ordeal.js";

/** The long ordeal: so many disturbances (200 unless said), by a seed. Ends with 1 when anything is missing, doubled or not found. */
const times = Number(process.argv[2] ?? 200);
const seed = Number(process.argv[3] ?? 1);
const result = await ordeal(seed, times, (text) => console.error(text));
console.log(JSON.stringify(result, null, 2));
const { missing, twice, attacks, exact } = result;
process.exit(missing === 0 && twice === 0 && exact === attacks ? 0 : 1);
