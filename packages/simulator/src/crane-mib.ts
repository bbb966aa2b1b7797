/** The invented maker's module for the crane at Lysgrund: what anyone would upload for a device of their own. */
export const CRANE_MIB = `ORVANE-CRANE-MIB DEFINITIONS ::= BEGIN
IMPORTS
  MODULE-IDENTITY, OBJECT-TYPE, NOTIFICATION-TYPE, Gauge32, enterprises FROM SNMPv2-SMI;

orvaneCrane MODULE-IDENTITY
  LAST-UPDATED "202601010000Z"
  ORGANIZATION "Orvane Ferries"
  CONTACT-INFO "noc@orvane.example"
  DESCRIPTION "The quay cranes of Orvane Ferries"
  ::= { enterprises 32473 40 }

craneNotifications OBJECT IDENTIFIER ::= { orvaneCrane 0 }
craneObjects OBJECT IDENTIFIER ::= { orvaneCrane 1 }

craneLoad OBJECT-TYPE
  SYNTAX Gauge32
  UNITS "tonnes"
  MAX-ACCESS read-only
  STATUS current
  DESCRIPTION "The load on the hook"
  ::= { craneObjects 1 }

craneState OBJECT-TYPE
  SYNTAX INTEGER { idle(1), lifting(2), overloaded(3) }
  MAX-ACCESS read-only
  STATUS current
  DESCRIPTION "What the crane does"
  ::= { craneObjects 2 }

craneLoadNotice NOTIFICATION-TYPE
  OBJECTS { craneLoad, craneState }
  STATUS current
  DESCRIPTION "The load passed the notice line"
  ::= { craneNotifications 1 }
END
`;
