export { AgedMap } from "./aged-map.js";
