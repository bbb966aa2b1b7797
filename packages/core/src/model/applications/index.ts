export {
  Applications,
  type ApplicationsWhere,
  type Endpoints,
  NO_APPLICATIONS,
  type OwnApplication,
  protocolName,
  type ServiceRegistry,
} from "./applications.js";
