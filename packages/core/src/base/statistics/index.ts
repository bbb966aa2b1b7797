export { type Cusum, ewmaReach, meanAndDeviation, nextCusum, nextEwma } from "./control-charts.js";
export { LogHistogram } from "./log-histogram.js";
export { median, modifiedZ } from "./robust.js";
