import { type DaemonLine, rows } from "./daemon-line.js";

const ssh = rows(["sshd", "sshd-session"], "logon");
const sudo = rows(["sudo"], "privilege");
const su = rows(["su"], "privilege");
const accounts = rows(["useradd", "userdel", "usermod", "groupadd", "passwd", "chpasswd", "gpasswd"], "account");
const seats = rows(["systemd-logind"], "logon");
const logins = rows(["login", "gdm-password", "lightdm", "cockpit-session"], "logon");

/** Who comes in, and by which rights. */
export const LOGONS: readonly DaemonLine[] = [
  ssh(
    "Accepted {method:word} for {user:word} from {src} port {src port} {}",
    "success",
    "{user} logged on to {sender} from {src} by {method}",
  ),
  ssh(
    "Failed {method:word} for invalid user {user:word} from {src} port {src port}{}",
    "failure",
    "{user}, whom {sender} does not know, was refused a logon from {src}",
  ),
  ssh(
    "Failed {method:word} for {user:word} from {src} port {src port}{}",
    "failure",
    "{user} was refused a logon to {sender} from {src}",
  ),
  ssh(
    "Invalid user {user:word} from {src} port {src port}",
    "failure",
    "{user}, whom {sender} does not know, tried to log on from {src}",
  ),
  ssh("Disconnected from user {user:word} {src} port {src port}", "unknown", "{user} left {sender}, from {src}"),
  ssh(
    "Disconnected from authenticating user {user:word} {src} port {src port} {}",
    "failure",
    "{user} from {src} left {sender} without having logged on",
  ),
  ssh(
    "Disconnected from invalid user {user:word} {src} port {src port} {}",
    "failure",
    "{user}, whom {sender} does not know, left it again for {src}",
  ),
  ssh(
    "Connection closed by authenticating user {user:word} {src} port {src port} {}",
    "failure",
    "{user} from {src} closed the connection to {sender} without having logged on",
  ),
  ssh(
    "Connection closed by invalid user {user:word} {src} port {src port} {}",
    "failure",
    "{user}, whom {sender} does not know, closed the connection from {src}",
  ),
  ssh("Connection closed by {src} port {src port}{}", "unknown", "{src} closed its connection to {sender}"),
  ssh("Received disconnect from {src} port {src port}:{reason}", "unknown", "{src} ended its connection to {sender}"),
  ssh(
    "error: maximum authentication attempts exceeded for {user:word} from {src} port {src port} {}",
    "failure",
    "{user} tried too often to log on to {sender} from {src}",
  ),
  ssh(
    "pam_unix(sshd:session): session opened for user {user:word} by {}",
    "success",
    "a session of {user} began on {sender}",
  ),
  ssh(
    "pam_unix(sshd:session): session closed for user {user:word}",
    "unknown",
    "the session of {user} on {sender} ended",
  ),
  ssh(
    "Server listening on {address:address} port {port:port}.",
    "success",
    "{sender} listens for logons on port {port}",
  ),
  sudo(
    "{user:word} : TTY={tty:word} ; PWD={directory} ; USER={as:word} ; COMMAND={command}",
    "success",
    "{user} ran {command} as {as} on {sender}",
  ),
  sudo(
    "{user:word} : user NOT in sudoers ; TTY={tty:word} ; PWD={directory} ; USER={as:word} ; COMMAND={command}",
    "failure",
    "{user} has no right to run {command} as {as} on {sender}",
  ),
  sudo(
    "{user:word} : {attempts:number} incorrect password attempts ; TTY={tty:word} ; PWD={directory} ; USER={as:word} ; COMMAND={command}",
    "failure",
    "{user} gave {attempts} wrong passwords on {sender} for {command}",
  ),
  sudo(
    "pam_unix(sudo:session): session opened for user {as:word} by {user:word}(uid={uid:number})",
    "success",
    "{user} became {as} on {sender}",
  ),
  sudo(
    "pam_unix(sudo:session): session closed for user {as:word}",
    "unknown",
    "somebody ceased to be {as} on {sender}",
  ),
  su("(to {as:word}) {user:word} on {tty:word}", "success", "{user} became {as} on {sender}"),
  su("FAILED SU (to {as:word}) {user:word} on {tty:word}", "failure", "{user} tried to become {as} on {sender}"),
  su(
    "pam_unix(su:session): session opened for user {as:word} by {user:word}(uid={uid:number})",
    "success",
    "{user} became {as} on {sender}",
  ),
  accounts(
    "new user: name={user}, UID={uid:number}, GID={gid:number}, home={home}, shell={shell}, from={tty}",
    "success",
    "the account {user} was made on {sender}",
  ),
  accounts(
    "new user: name={user}, UID={uid:number}, GID={gid:number}, home={home}, shell={shell}",
    "success",
    "the account {user} was made on {sender}",
  ),
  accounts("new group: name={group}, GID={gid:number}", "success", "the group {group} was made on {sender}"),
  accounts("delete user '{user}'", "success", "the account {user} was deleted on {sender}"),
  accounts("add '{user}' to shadow group '{group}'", "success", ""),
  accounts("add '{user}' to group '{group}'", "success", "{user} was put into the group {group} on {sender}"),
  accounts(
    "pam_unix(passwd:chauthtok): password changed for {user:word}",
    "success",
    "the password of {user} was changed on {sender}",
  ),
  accounts("password changed for {user:word}", "success", "the password of {user} was changed on {sender}"),
  seats("New session {session:word} of user {user:word}.", "success", "a session of {user} began on {sender}"),
  seats(
    "Session {session:word} logged out. Waiting for processes to exit.",
    "unknown",
    "a session on {sender} was logged out",
  ),
  seats("Removed session {session:word}.", "unknown", "a session on {sender} ended"),
  logins(
    "pam_unix({service}:session): session opened for user {user:word} by {}",
    "success",
    "a session of {user} began on {sender}",
  ),
  logins(
    "pam_unix({service}:auth): authentication failure; logname={} uid={} euid={} tty={tty} ruser={} rhost={}  user={user:word}",
    "failure",
    "{user} was refused a logon to {sender}",
  ),
  logins(
    "FAILED LOGIN ({attempts:number}) on '{tty}' FOR '{user}', Authentication failure",
    "failure",
    "{user} was refused a logon to {sender} at {tty}",
  ),
  logins("ROOT LOGIN ON {tty:word}", "success", "root logged on to {sender} at {tty}"),
];
