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
export { entityCode, type FieldEntity, isEntityCode, readEntity, valuesOfField } from "./code.js";
export { commonNameOf } from "./distinguished-name.js";
export { ENTITY_KINDS, ENTITY_ROLES, type Entity, type EntityKind, type EntityRole, entitiesOf } from "./entities.js";
export { DOMAIN, isSpelt, MOST_DOMAINS, NO_OWN_NAMES, OwnNames } from "./own-names.js";
export { type SuggestedDomain, suggestDomains } from "./suggest-domains.js";
