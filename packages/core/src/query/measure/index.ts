export { AMOUNTS, type Amount, MEASURES, type Measure } from "./measure.js";
