import { type DaemonLine, rows } from "./daemon-line.js";

const smtp = rows(["postfix/smtp", "postfix/local", "postfix/lmtp", "postfix/virtual", "postfix/error"], "service");
const smtpd = rows(["postfix/smtpd", "postfix/submission/smtpd"], "service");
const queue = rows(["postfix/qmgr", "postfix/cleanup"], "service");
const mailboxes = rows(["dovecot", "imap-login", "pop3-login"], "logon");
const leases = rows(["dhcpd"], "service");
const homeLeases = rows(["dnsmasq-dhcp", "dnsmasq"], "service");
const names = rows(["named", "named-pkcs11"], "service");
const resolver = rows(["unbound"], "service");
const clocks = rows(["chronyd"], "service");
const ntp = rows(["ntpd"], "service");
const timesync = rows(["systemd-timesyncd"], "service");
const jobs = rows(["cron", "CRON", "crond"], "process");
const web = rows(["nginx", "apache2", "httpd"], "service");

/** Mail, leases, names, clocks, jobs. */
export const SERVICES: readonly DaemonLine[] = [
  smtp(
    "{queue:word}: to=<{to}>, relay={relay}, delay={delay:number},{}dsn={dsn:word}, status=sent {}",
    "success",
    "mail to {to} was delivered by {relay}",
  ),
  smtp(
    "{queue:word}: to=<{to}>, relay={relay}, delay={delay:number},{}dsn={dsn:word}, status=deferred ({reason})",
    "failure",
    "mail to {to} waits: {reason}",
  ),
  smtp(
    "{queue:word}: to=<{to}>, relay={relay}, delay={delay:number},{}dsn={dsn:word}, status=bounced ({reason})",
    "failure",
    "mail to {to} was returned: {reason}",
  ),
  smtpd("connect from {client}[{src}]", "unknown", "{src} connected to the mail server {sender}"),
  smtpd("disconnect from {client}[{src}]{}", "unknown", "{src} left the mail server {sender}"),
  smtpd("lost connection after {stage:word} from {client}[{src}]", "unknown", "{src} broke off after {stage}"),
  smtpd(
    "{queue:word}: client={client}[{src}], sasl_method={method}, sasl_username={user:word}",
    "success",
    "{user} sends mail by {sender} from {src}",
  ),
  smtpd("{queue:word}: client={client}[{src}]", "unknown", "{src} sends mail by {sender}"),
  smtpd(
    "warning: {client}[{src}]: SASL {method:word} authentication failed: {reason}",
    "failure",
    "somebody was refused a logon to mail on {sender} from {src}",
  ),
  smtpd(
    "NOQUEUE: reject: RCPT from {client}[{src}]: {code:number} {reason}; from=<{from}> to=<{to}> proto={} helo=<{helo}>",
    "failure",
    "mail from {from} to {to} was refused to {src}: {reason}",
  ),
  queue(
    "{queue:word}: from=<{from}>, size={size:number}, nrcpt={recipients:number} {}",
    "unknown",
    "mail from {from} is in the queue, {size} octets for {recipients}",
  ),
  queue("{queue:word}: message-id=<{message id}>", "unknown", ""),
  queue("{queue:word}: removed", "unknown", "a mail left the queue of {sender}"),
  mailboxes(
    "imap-login: Login: user=<{user}>, method={method:word}, rip={src}, {}",
    "success",
    "{user} opened a mailbox on {sender} from {src}",
  ),
  mailboxes(
    "imap-login: Disconnected ({reason}): user=<{user}>, method={method:word}, rip={src}, {}",
    "failure",
    "{user} was refused a mailbox on {sender} from {src}",
  ),
  mailboxes(
    "pop3-login: Login: user=<{user}>, method={method:word}, rip={src}, {}",
    "success",
    "{user} opened a mailbox on {sender} from {src}",
  ),
  mailboxes(
    "Login: user=<{user}>, method={method:word}, rip={src}, {}",
    "success",
    "{user} opened a mailbox on {sender} from {src}",
  ),
  leases("DHCPDISCOVER from {mac:mac} via {interface:word}{}", "unknown", "{mac} asks for an address, at {interface}"),
  leases(
    "DHCPOFFER on {offered:address} to {mac:mac} ({client}) via {interface:word}",
    "unknown",
    "{offered} was offered to {client}",
  ),
  leases(
    "DHCPOFFER on {offered:address} to {mac:mac} via {interface:word}",
    "unknown",
    "{offered} was offered to {mac}",
  ),
  leases(
    "DHCPREQUEST for {leased:address} ({}) from {mac:mac} ({client}) via {interface:word}",
    "unknown",
    "{client} asks for {leased}",
  ),
  leases(
    "DHCPREQUEST for {leased:address} from {mac:mac} ({client}) via {interface:word}",
    "unknown",
    "{client} asks for {leased}",
  ),
  leases("DHCPREQUEST for {leased:address} from {mac:mac} via {interface:word}", "unknown", "{mac} asks for {leased}"),
  leases(
    "DHCPACK on {leased:address} to {mac:mac} ({client}) via {interface:word}",
    "success",
    "{client} got {leased}",
  ),
  leases("DHCPACK on {leased:address} to {mac:mac} via {interface:word}", "success", "{mac} got {leased}"),
  leases("DHCPNAK on {leased:address} to {mac:mac} via {interface:word}", "failure", "{leased} was denied to {mac}"),
  leases(
    "DHCPRELEASE of {leased:address} from {mac:mac} ({client}) via {interface:word} {}",
    "unknown",
    "{client} gave {leased} back",
  ),
  leases("DHCPINFORM from {leased:address} via {interface:word}", "unknown", "{leased} asks for settings"),
  homeLeases("DHCPACK({interface:word}) {leased:address} {mac:mac} {client:word}", "success", "{client} got {leased}"),
  homeLeases("DHCPACK({interface:word}) {leased:address} {mac:mac}", "success", "{mac} got {leased}"),
  homeLeases("DHCPREQUEST({interface:word}) {leased:address} {mac:mac}", "unknown", "{mac} asks for {leased}"),
  homeLeases("DHCPDISCOVER({interface:word}) {mac:mac}", "unknown", "{mac} asks for an address, at {interface}"),
  homeLeases("query[{type:word}] {question:word} from {src}", "unknown", "{src} asks for {question}"),
  names(
    "client @{} {src}#{src port} ({}): query: {question:word} IN {type:word} {}",
    "unknown",
    "{src} asks for {question}",
  ),
  names(
    "client @{} {src}#{src port} ({question}): query (cache) '{}' denied",
    "failure",
    "{src} may not ask {sender} for {question}",
  ),
  names(
    "client @{} {src}#{src port} ({zone}): transfer of '{}': AXFR started{}",
    "success",
    "{src} copies the zone {zone}",
  ),
  names(
    "client @{} {src}#{src port} ({zone}): zone transfer '{}' denied",
    "failure",
    "{src} may not copy the zone {zone}",
  ),
  names("zone {zone}: loaded serial {serial:number}", "success", "the zone {zone} is loaded, number {serial}"),
  names("zone {zone}: refresh: {reason}", "failure", "the zone {zone} was not renewed: {reason}"),
  names(
    "error ({reason}) resolving '{question}': {server:address}#{port:port}",
    "failure",
    "{question} was not found at {server}: {reason}",
  ),
  resolver("[{}] info: {src} {question:word} {type:word} IN", "unknown", "{src} asks for {question}"),
  clocks("Selected source {server:address}{}", "success", "{sender} goes by the clock of {server}"),
  clocks("Source {server:address} offline", "failure", "{sender} hears nothing of the clock {server}"),
  clocks("Source {server:address} online", "success", "{sender} hears the clock {server}"),
  clocks(
    "System clock wrong by {seconds:number} seconds{}",
    "failure",
    "the clock of {sender} is wrong by {seconds} s",
  ),
  clocks(
    "System clock was stepped by {seconds:number} seconds",
    "success",
    "the clock of {sender} was set by {seconds} s",
  ),
  clocks("Can't synchronise: {reason}", "failure", "{sender} has no clock to go by: {reason}"),
  ntp(
    "synchronized to {server:address}, stratum {stratum:number}",
    "success",
    "{sender} goes by the clock of {server}",
  ),
  ntp("time reset {seconds:number} s", "success", "the clock of {sender} was set by {seconds} s"),
  ntp("no servers reachable", "failure", "{sender} has no clock to go by"),
  timesync("Initial clock synchronization to {time}.", "success", "{sender} has the time"),
  timesync(
    "Timed out waiting for reply from {server:address}:{port:port} ({name}).",
    "failure",
    "the clock {name} did not answer {sender}",
  ),
  timesync(
    "Contacted time server {server:address}:{port:port} ({name}).",
    "success",
    "{sender} goes by the clock of {name}",
  ),
  jobs("({user}) CMD ({command})", "unknown", "the job {command} of {user} ran on {sender}"),
  jobs("({user}) {action:word} ({file})", "unknown", ""),
  jobs(
    "pam_unix({service}:session): session opened for user {user:word} by {}",
    "unknown",
    "a job of {user} began on {sender}",
  ),
  jobs(
    "pam_unix({service}:session): session closed for user {user:word}",
    "unknown",
    "a job of {user} ended on {sender}",
  ),
  web(
    "{src} - {user:word} [{time}] {request:quoted} {status:number} {size:number}{}",
    "unknown",
    "{src} asked {sender}: {request}, answered {status}",
  ),
];
