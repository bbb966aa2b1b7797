export { canonicalHost, canonicalUser } from "./canonical.js";
export { entityCode, type FieldEntity, isEntityCode, readEntity, valuesOfField } from "./code.js";
export { ENTITY_KINDS, ENTITY_ROLES, type Entity, type EntityKind, type EntityRole, entitiesOf } from "./entities.js";
