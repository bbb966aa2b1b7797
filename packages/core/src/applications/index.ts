export {
  Applications,
  type Endpoints,
  type OwnApplication,
  protocolName,
  type ServiceRegistry,
} from "./applications.js";
