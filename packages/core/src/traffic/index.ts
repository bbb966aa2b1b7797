export { servicePort } from "./service-port.js";
