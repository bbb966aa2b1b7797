/** Settings that give an endpoint its port while none is set on Intake. */
export const PORT_SETTINGS = [
  "HALVIK_SYSLOG_UDP_PORT",
  "HALVIK_SYSLOG_TCP_PORT",
  "HALVIK_SYSLOG_TLS_PORT",
  "HALVIK_SNMP_PORT",
  "HALVIK_NETFLOW_PORT",
  "HALVIK_IPFIX_PORT",
  "HALVIK_SFLOW_PORT",
  "HALVIK_INTAKE_PORT",
] as const;
