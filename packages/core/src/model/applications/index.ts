export {
  Applications,
  type Endpoints,
  NO_APPLICATIONS,
  type OwnApplication,
  protocolName,
  type ServiceRegistry,
} from "./applications.js";
