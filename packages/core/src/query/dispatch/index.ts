export { Dispatch } from "./dispatch.js";
