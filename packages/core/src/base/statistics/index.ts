export { type Cusum, ewmaReach, meanAndDeviation, nextCusum, nextEwma } from "./control-charts.js";
export { median, modifiedZ } from "./robust.js";
