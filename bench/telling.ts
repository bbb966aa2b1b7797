import { notifyingOrdeal } from "../packages/server/src/testing/telling-ordeal.js";

/** Engine and notifier killed so often (200 unless said) while lamps go out, by a seed. Ends with 1 when any message is missing or changed its id. */
const kills = Number(process.argv[2] ?? 200);
const seed = Number(process.argv[3] ?? 1);
const result = await notifyingOrdeal(seed, kills, (text) => console.error(text));
console.log(JSON.stringify(result, null, 2));
process.exit(result.missing.length === 0 && result.confused === 0 ? 0 : 1);
