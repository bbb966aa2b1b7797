export {
  BINDING_BREAK_US,
  BINDING_REASONS,
  type Binding,
  type BindingReason,
  BOUND_THINGS,
  type BoundThing,
  bindingsOf,
  FLOW_MAY_BIND,
  MAY_BIND,
  MOST_ADDRESSES_OF_A_MAC,
} from "./bindings.js";
export { canonicalUser } from "./canonical.js";
export { entityCode, isEntityCode, readEntity, valuesOfField } from "./code.js";
export { commonNameOf } from "./distinguished-name.js";
export { type Entity, entitiesOf } from "./entities.js";
export { DOMAIN, isSpelt, MOST_DOMAINS, NO_OWN_NAMES, OwnNames } from "./own-names.js";
export { suggestDomains } from "./suggest-domains.js";
