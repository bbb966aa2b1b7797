import { createHash } from "node:crypto";
import { windowsScript, windowsScriptHash } from "./windows-script.js";

/** It cannot be run here: what it may use is a list, and what it says is checked as text. */
const script = windowsScript().toString("utf8");
/** Without comments and what stands in quotes. */
const code = script
  .replace(/<#[\s\S]*?#>/g, "")
  .replace(/^\s*#.*$/gm, "")
  .replace(/@'[\s\S]*?'@/g, "''")
  .replace(/'[^'\n]*'/g, "''");

/** Commands of Windows PowerShell 5.1 as it comes with Windows (its own list of modules; from memory). */
const COMMANDS = [
  "Add-Content",
  "Add-Type",
  "ConvertFrom-Json",
  "ConvertTo-Json",
  "ForEach-Object",
  "Get-Content",
  "Get-Date",
  "Get-Item",
  "Get-WinEvent",
  "Join-Path",
  "Move-Item",
  "New-Item",
  "Out-Null",
  "Set-Content",
  "Set-StrictMode",
  "Start-Sleep",
  "Test-Path",
  "Write-Host",
];

test("it calls what stands on the list and its own functions, and nothing else", () => {
  const own = [...code.matchAll(/^function ([A-Za-z-]+)/gm)].map((m) => m[1]!);
  const verbs =
    "Add|Convert[A-Za-z]*|For[A-Za-z]*|Get|Invoke|Join|Move|New|Out|Read|Remove|Save|Send|Set|Start|Stop|Test|Write|Import|Copy|Select|Where|Sort";
  const called = new Set(
    [...code.matchAll(new RegExp(`(?<![-\\w$.])(?:${verbs})-[A-Z][A-Za-z]+`, "g"))].map((m) => m[0]),
  );
  expect([...called].filter((c) => !own.includes(c)).sort()).toEqual(COMMANDS);
  // neither a command in a variable nor text that is run
  expect(code).not.toMatch(/Invoke-|iex\b|&\s*\$|DownloadString|Start-Process/i);
});

test("its functions are there, its brackets close, and it is plain ASCII, which 5.1 reads the same everywhere", () => {
  for (const called of ["Read-State", "Save-State", "Send-Body", "Send-Events", "Get-NextEvents", "Get-Newest"])
    expect(code).toContain(`function ${called}`);
  const plain = code.replace(/"[^"\n]*"/g, '""');
  for (const [open, close] of ["{}", "()", "[]"]) expect(plain.split(open!).length).toBe(plain.split(close!).length);
  expect([...script].every((c) => c.charCodeAt(0) < 128)).toBe(true);
});

test("what its functions give back is made a list: one or none is no list to 5.1, and has no count in strict mode", () => {
  for (const [, name, call] of script.matchAll(/^\s*\$(\w+) = (.*Get-(?:NextEvents|Newest|WinEvent)\b.*)$/gm))
    expect([name, call!.startsWith("@(")]).toEqual([name, true]);
  expect(script).toContain("throw 'ForwardedEvents cannot be read by number");
});

test("it trusts one certificate, by SHA-256, and TLS 1.2 alone", () => {
  expect(script).toContain("pinned.Length == 64 && seen == pinned");
  expect(script).toContain("SecurityProtocolType.Tls12");
  expect(script).not.toMatch(/SkipCertificateCheck|return true;/);
});

test("the sum shown beside it is that of what is handed out", () => {
  expect(windowsScriptHash()).toBe(createHash("sha256").update(windowsScript()).digest("hex"));
});
