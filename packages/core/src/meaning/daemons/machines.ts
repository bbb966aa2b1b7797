import { type DaemonLine, rows } from "./daemon-line.js";

const kernel = rows(["kernel"], "system health");
const nics = rows(["kernel"], "link");
const disks = rows(["smartd"], "system health");
const arrays = rows(["mdadm"], "system health");
const units = rows(["systemd"], "service");
const wireless = rows(["hostapd"], "service");
const station = rows(["wpa_supplicant"], "link");
const manager = rows(["NetworkManager"], "link");
const networkd = rows(["systemd-networkd"], "link");
const routers = rows(["bgpd", "frr", "zebra", "ospfd"], "routing");
const tunnel = rows(["openvpn"], "logon");
const ipsec = rows(["charon", "ipsec"], "service");
const pairs = rows(["Keepalived_vrrp", "keepalived"], "service");
const mounts = rows(["udisksd"], "service");
const power = rows(["upsmon", "apcupsd", "upsd"], "system health");

/** Kernel, disks, services, interfaces, neighbours. */
export const MACHINES: readonly DaemonLine[] = [
  nics("{interface:word}: Link is Up - {speed}", "success", "interface {interface} of {sender} came up, {speed}"),
  nics("{interface:word}: Link is Down", "failure", "interface {interface} of {sender} went down"),
  nics(
    "{driver:word} {device:word} {interface}: Link is Up {speed}",
    "success",
    "interface {interface} of {sender} came up",
  ),
  nics(
    "{driver:word} {device:word} {interface}: Link is Down",
    "failure",
    "interface {interface} of {sender} went down",
  ),
  nics(
    "{driver:word} {device:word} {interface}: NIC Link is Up {speed}",
    "success",
    "interface {interface} of {sender} came up",
  ),
  nics(
    "{driver:word} {device:word} {interface}: NIC Link is Down",
    "failure",
    "interface {interface} of {sender} went down",
  ),
  nics(
    "device {interface:word} entered promiscuous mode",
    "unknown",
    "{interface} of {sender} takes in packets of others",
  ),
  nics(
    "device {interface:word} left promiscuous mode",
    "unknown",
    "{interface} of {sender} takes in its own packets alone",
  ),
  kernel(
    "Out of memory: Killed process {pid:number} ({program}) {}",
    "failure",
    "{sender} was out of memory and ended {program}",
  ),
  kernel(
    "{program}[{pid:number}]: segfault at {} ip {} sp {} error {} in {library}[{}]",
    "failure",
    "{program} crashed on {sender}, in {library}",
  ),
  kernel(
    "blk_update_request: I/O error, dev {device}, sector {sector:number}{}",
    "failure",
    "the disk {device} of {sender} cannot be read at {sector}",
  ),
  kernel(
    "Buffer I/O error on dev {device}, logical block {block:number}, {}",
    "failure",
    "the disk {device} of {sender} cannot be read at block {block}",
  ),
  kernel(
    "EXT4-fs error (device {device}): {where:word}: {reason}",
    "failure",
    "the file system on {device} of {sender} is damaged: {reason}",
  ),
  kernel("EXT4-fs ({device}): mounted filesystem {}", "success", "the file system on {device} of {sender} is in use"),
  kernel("EXT4-fs ({device}): re-mounted.{}", "success", "the file system on {device} of {sender} is in use again"),
  kernel(
    "md/raid{level:word}:{array}: Disk failure on {device}, disabling device.",
    "failure",
    "the disk {device} of the array {array} failed on {sender}",
  ),
  kernel(
    "usb {port:word}: new {speed:word} USB device number {number:number} using {}",
    "unknown",
    "a device was plugged into {sender}, USB {port}",
  ),
  kernel(
    "usb {port:word}: USB disconnect, device number {number:number}",
    "unknown",
    "a device was unplugged from {sender}, USB {port}",
  ),
  kernel(
    "TCP: request_sock_TCP: Possible SYN flooding on port {dst port}. {}",
    "failure",
    "more connections than {sender} can take come to port {dst port}",
  ),
  kernel(
    "nf_conntrack: nf_conntrack: table full, dropping packet",
    "failure",
    "{sender} drops packets: its table of connections is full",
  ),
  kernel(
    "CPU{cpu:number}: Core temperature above threshold, cpu clock throttled {}",
    "failure",
    "a processor of {sender} is too hot",
  ),
  disks(
    "Device: {device}, {count:number} Currently unreadable (pending) sectors",
    "failure",
    "{count} sectors of {device} on {sender} cannot be read",
  ),
  disks(
    "Device: {device}, SMART Usage Attribute: {attribute:number} {name:word} changed from {before:number} to {after:number}",
    "unknown",
    "{name} of {device} on {sender} went from {before} to {after}",
  ),
  disks(
    "Device: {device}, FAILED SMART self-check. BACK UP DATA NOW!",
    "failure",
    "the disk {device} of {sender} says that it is failing",
  ),
  arrays(
    "Fail event detected on md device {array}, component device {device}",
    "failure",
    "the disk {device} of the array {array} failed on {sender}",
  ),
  arrays("DegradedArray event detected on md device {array}", "failure", "the array {array} of {sender} lacks a disk"),
  arrays(
    "RebuildFinished event detected on md device {array:word}{}",
    "success",
    "the array {array} of {sender} is whole again",
  ),
  units("Started {unit:word} - {description}.", "success", "{description} began on {sender}"),
  units("Stopped {unit:word} - {description}.", "unknown", "{description} ended on {sender}"),
  units("Failed to start {unit:word} - {description}.", "failure", "{description} did not begin on {sender}"),
  units("Started {unit}.", "success", "{unit} began on {sender}"),
  units("Stopped {unit}.", "unknown", "{unit} ended on {sender}"),
  units("Failed to start {unit}.", "failure", "{unit} did not begin on {sender}"),
  units(
    "{unit:word}: Main process exited, code={code}, status={status}",
    "failure",
    "{unit} ended by itself on {sender}: {status}",
  ),
  units("{unit:word}: Failed with result '{result}'.", "failure", "{unit} failed on {sender}: {result}"),
  units(
    "{unit:word}: Scheduled restart job, restart counter is at {count:number}.",
    "unknown",
    "{unit} is started again on {sender}, the {count}. time",
  ),
  units("{unit:word}: Deactivated successfully.", "success", "{unit} ended on {sender}"),
  units("{unit:word}: Succeeded.", "success", "{unit} is done on {sender}"),
  units("{unit:word}: Consumed {spent} CPU time.", "unknown", ""),
  wireless(
    "{interface:word}: STA {mac:mac} IEEE 802.11: authenticated",
    "success",
    "{mac} is known to the wireless network {interface}",
  ),
  wireless(
    "{interface:word}: STA {mac:mac} IEEE 802.11: associated (aid {aid:number})",
    "success",
    "{mac} joined the wireless network {interface}",
  ),
  wireless(
    "{interface:word}: STA {mac:mac} IEEE 802.11: disassociated",
    "unknown",
    "{mac} left the wireless network {interface}",
  ),
  wireless(
    "{interface:word}: STA {mac:mac} IEEE 802.11: disassociated due to {reason}",
    "unknown",
    "{mac} left the wireless network {interface}: {reason}",
  ),
  wireless(
    "{interface:word}: STA {mac:mac} IEEE 802.11: deauthenticated due to {reason}",
    "unknown",
    "{mac} was put off the wireless network {interface}: {reason}",
  ),
  wireless(
    "{interface:word}: STA {mac:mac} WPA: pairwise key handshake completed ({})",
    "success",
    "{mac} has keys for the wireless network {interface}",
  ),
  wireless(
    "{interface:word}: AP-STA-POSSIBLE-PSK-MISMATCH {mac:mac}",
    "failure",
    "{mac} has a wrong password for the wireless network {interface}",
  ),
  station(
    "{interface:word}: CTRL-EVENT-CONNECTED - Connection to {mac:mac} completed {}",
    "success",
    "{sender} joined a wireless network at {interface}",
  ),
  station(
    "{interface:word}: CTRL-EVENT-DISCONNECTED bssid={mac:mac} reason={reason:number}{}",
    "failure",
    "{sender} lost its wireless network at {interface}",
  ),
  manager(
    "<info>  [{}] device ({interface}): state change: {before:word} -> {after:word} {}",
    "unknown",
    "{interface} of {sender} went from {before} to {after}",
  ),
  networkd("{interface:word}: Gained carrier", "success", "interface {interface} of {sender} came up"),
  networkd("{interface:word}: Lost carrier", "failure", "interface {interface} of {sender} went down"),
  networkd(
    "{interface:word}: DHCPv4 address {leased:address}/{bits:number}{}",
    "success",
    "{interface} of {sender} got {leased}",
  ),
  routers(
    "%ADJCHANGE: neighbor {neighbour:address}({}) in vrf {vrf:word} Up",
    "success",
    "{neighbour} is a neighbour of {sender} again",
  ),
  routers(
    "%ADJCHANGE: neighbor {neighbour:address}({}) in vrf {vrf:word} Down {reason}",
    "failure",
    "{sender} lost its neighbour {neighbour}: {reason}",
  ),
  routers(
    "%NOTIFICATION: sent to neighbor {neighbour:address} {code:word} ({reason}) {} bytes{}",
    "failure",
    "{sender} told its neighbour {neighbour}: {reason}",
  ),
  routers(
    "AdjChg: Nbr {neighbour:address} on {interface:word}: {before:word} -> {after:word} ({reason})",
    "unknown",
    "the neighbour {neighbour} of {sender} went from {before} to {after}",
  ),
  tunnel(
    "{user:word}/{src}:{src port} MULTI: Learn: {leased:address} -> {}",
    "success",
    "{user} got {leased} in the tunnel",
  ),
  tunnel(
    "{src}:{src port} [{user}] Peer Connection Initiated with {}",
    "success",
    "{user} came into the tunnel of {sender} from {src}",
  ),
  tunnel("{src}:{src port} TLS Error: {reason}", "failure", "{src} did not come into the tunnel of {sender}: {reason}"),
  tunnel(
    "{user:word}/{src}:{src port} SIGTERM[soft,remote-exit] received, client-instance exiting",
    "unknown",
    "{user} left the tunnel of {sender}",
  ),
  ipsec(
    "{:number}[IKE] IKE_SA {name} established between {local:address}[{}]...{peer:address}[{}]",
    "success",
    "the tunnel {name} to {peer} is up",
  ),
  ipsec(
    "{:number}[IKE] deleting IKE_SA {name} between {local:address}[{}]...{peer:address}[{}]",
    "unknown",
    "the tunnel {name} to {peer} is down",
  ),
  pairs("({instance}) Entering {state:word} STATE", "unknown", "{sender} is {state} for {instance}"),
  pairs("VRRP_Instance({instance}) Entering {state:word} STATE", "unknown", "{sender} is {state} for {instance}"),
  mounts(
    "Mounted {device:word} at {directory:word} on behalf of uid {uid:number}",
    "success",
    "{device} is in use at {directory} of {sender}",
  ),
  power("UPS {unit:word} on battery", "failure", "{unit} of {sender} runs on its battery"),
  power("UPS {unit:word} on line power", "success", "{unit} of {sender} has power again"),
];
