<#
.SYNOPSIS
  Sends events of this computer's logs to Halvik, each once, and goes on where it left off.

.DESCRIPTION
  For Windows PowerShell 5.1, which every Windows since 10 and Server 2016 has; nothing is installed. Events are read with Get-WinEvent, in the
  order of their numbers, and posted as event XML over HTTPS. Halvik's certificate is known by its SHA-256; no authority is asked.
  After each answer the number of the last event is written to the state file: what was sent twice because this was ended in between is known
  again by Halvik and stored once.

  What Halvik refuses to read is sent again in halves until the event alone is left; that one is noted in the status file and passed over.
  While Halvik is not reached, or says that it is busy, nothing is passed over: it is tried again after 1, 2, 4 ... 60 seconds.

.EXAMPLE
  .\send-events.ps1 -Server halvik.example -Port 8443 -CertificateSha256 0a1b... -TokenFile C:\ProgramData\Halvik\token.txt

.EXAMPLE
  .\send-events.ps1 ... -Log Security -Id 4624,4625,4720,1102 -MaxLevel 4 -Text svc-backup
#>
[CmdletBinding()]
param(
  [Parameter(Mandatory = $true)] [string] $Server,
  [int] $Port = 8443,
  # The certificate that Halvik shows under Intake, as 64 hexadecimal digits; colons and spaces may stand between.
  [Parameter(Mandatory = $true)] [string] $CertificateSha256,
  # A file that only this account may read; its first line is an intake token.
  [Parameter(Mandatory = $true)] [string] $TokenFile,
  [string[]] $Log = @('System', 'Application', 'Security'),
  # Only events of these providers.
  [string[]] $Provider = @(),
  # Only these event ids.
  [int[]] $Id = @(),
  # Only events up to this level: 1 critical, 2 error, 3 warning, 4 information, 5 verbose. Level 0 (audits) always goes.
  [ValidateRange(1, 5)] [int] $MaxLevel = 5,
  # Only events whose XML contains this text.
  [string] $Text = '',
  [ValidateRange(1, 2000)] [int] $BatchSize = 200,
  # How far back the first run begins.
  [ValidateRange(0, 8760)] [int] $FirstHours = 24,
  [ValidateRange(1, 3600)] [int] $EverySeconds = 5,
  [string] $StateDirectory = "$env:ProgramData\Halvik",
  # Send what there is, and end; also when Halvik is not reached within about a minute.
  [switch] $Once
)

Set-StrictMode -Version 2
$ErrorActionPreference = 'Stop'

$Path = '/windows'
$BodyOpen = '<Events>'
$BodyClose = '</Events>'
$ContentType = 'application/xml; charset=utf-8'
# Halvik takes 16 MiB in one request.
$MostBodyChars = 4000000

# The certificate is the one that was shown, or nothing is sent. Compiled, because it is asked on a thread that runs no script.
Add-Type -TypeDefinition @'
using System;
using System.Net;
using System.Net.Security;
using System.Security.Cryptography;
using System.Security.Cryptography.X509Certificates;
public static class HalvikPin {
  static string pinned = "";
  public static void Set(string sha256) {
    pinned = sha256;
    ServicePointManager.ServerCertificateValidationCallback = Check;
    ServicePointManager.SecurityProtocol = SecurityProtocolType.Tls12;
  }
  static bool Check(object sender, X509Certificate shown, X509Chain chain, SslPolicyErrors errors) {
    if (shown == null) return false;
    using (SHA256 hash = SHA256.Create()) {
      string seen = BitConverter.ToString(hash.ComputeHash(shown.GetRawCertData())).Replace("-", "").ToLowerInvariant();
      return pinned.Length == 64 && seen == pinned;
    }
  }
}
'@

$fingerprint = ($CertificateSha256 -replace '[:\s]', '').ToLowerInvariant()
if ($Log -contains 'ForwardedEvents') {
  # events there keep the numbers of the computers that wrote them: no number says how far it was read
  throw 'ForwardedEvents cannot be read by number: run this on the computers themselves'
}
if ($fingerprint -notmatch '^[0-9a-f]{64}$') { throw 'CertificateSha256: expected 64 hexadecimal digits' }
[HalvikPin]::Set($fingerprint)

if (-not (Test-Path -LiteralPath $StateDirectory)) { New-Item -ItemType Directory -Path $StateDirectory | Out-Null }
$stateFile = Join-Path $StateDirectory 'send-events.state.json'
$statusFile = Join-Path $StateDirectory 'send-events.status.txt'

function Write-Status([string] $Line) {
  $stamped = (Get-Date).ToUniversalTime().ToString('yyyy-MM-ddTHH:mm:ssZ') + ' ' + $Line
  # for who watches; not into what a function gives back
  Write-Host $stamped
  # bounded: what is older than the last megabyte is not needed
  if ((Test-Path -LiteralPath $statusFile) -and ((Get-Item -LiteralPath $statusFile).Length -gt 1000000)) {
    Move-Item -LiteralPath $statusFile -Destination ($statusFile + '.old') -Force
  }
  Add-Content -LiteralPath $statusFile -Value $stamped -Encoding UTF8
}

function Read-State {
  $state = @{}
  if (Test-Path -LiteralPath $stateFile) {
    $kept = Get-Content -LiteralPath $stateFile -Raw | ConvertFrom-Json
    foreach ($entry in $kept.PSObject.Properties) { $state[$entry.Name] = [long] $entry.Value }
  }
  return $state
}

function Save-State($State) {
  # written beside and moved over it: an end at any moment leaves the one or the other, whole
  ConvertTo-Json $State | Set-Content -LiteralPath ($stateFile + '.new') -Encoding UTF8
  Move-Item -LiteralPath ($stateFile + '.new') -Destination $stateFile -Force
}

function Read-Token {
  return (Get-Content -LiteralPath $TokenFile -TotalCount 1).Trim()
}

# Posts one body. Gives the status of the answer; 0: there was none.
function Send-Body([string] $Body, [string] $Key) {
  $bytes = [System.Text.Encoding]::UTF8.GetBytes($Body)
  $request = [System.Net.HttpWebRequest]::Create("https://${Server}:$Port$Path")
  $request.Method = 'POST'
  $request.ContentType = $ContentType
  $request.Timeout = 60000
  $request.ReadWriteTimeout = 60000
  $request.Headers.Add('Authorization', 'Bearer ' + (Read-Token))
  $request.Headers.Add('Idempotency-Key', $Key)
  $request.ContentLength = $bytes.Length
  try {
    $stream = $request.GetRequestStream()
    $stream.Write($bytes, 0, $bytes.Length)
    $stream.Close()
    $response = $request.GetResponse()
    $status = [int] $response.StatusCode
    $response.Close()
    return $status
  }
  catch {
    # what a method threw may lie inside what says that it threw
    $failure = $_.Exception
    while ($null -ne $failure -and $failure -isnot [System.Net.WebException]) { $failure = $failure.InnerException }
    if ($null -eq $failure -or $null -eq $failure.Response) {
      Write-Status "not reached: $($_.Exception.Message)"
      return 0
    }
    $status = [int] $failure.Response.StatusCode
    $failure.Response.Close()
    return $status
  }
}

# Sends these events, whatever it takes. What cannot be read alone is noted and passed over.
function Send-Events([string] $LogName, [object[]] $Events) {
  $body = $BodyOpen + (($Events | ForEach-Object { $_.Xml }) -join "`n") + $BodyClose
  $first = $Events[0].RecordId
  $last = $Events[$Events.Count - 1].RecordId
  $key = "$env:COMPUTERNAME $LogName $first $last $($Events.Count) $($Events[0].Ticks)"
  if ($key.Length -gt 200) { $key = $key.Substring($key.Length - 200) }
  $wait = 1
  while ($true) {
    $status = if ($body.Length -gt $MostBodyChars -and $Events.Count -gt 1) { 413 } else { Send-Body $body $key }
    if ($status -eq 200) { return }
    if ($status -eq 400 -or $status -eq 413 -or $status -eq 422) {
      if ($Events.Count -eq 1) {
        Write-Status "$LogName event $first was refused with $status and is passed over"
        return
      }
      $half = [int][Math]::Floor($Events.Count / 2)
      Send-Events $LogName ($Events[0..($half - 1)])
      Send-Events $LogName ($Events[$half..($Events.Count - 1)])
      return
    }
    if ($status -eq 401) { Write-Status 'the token is not taken: make one with "bin/halvik token create NAME --intake"' }
    elseif ($status -ne 0) { Write-Status "answered $status, tried again in $wait s" }
    if ($Once -and $wait -ge 60) { throw 'Halvik does not take what is sent: see above; nothing was passed over' }
    Start-Sleep -Seconds $wait
    $wait = [Math]::Min(60, $wait * 2)
  }
}

function Get-Query([string] $LogName, [long] $After) {
  $parts = @()
  if ($After -ge 0) { $parts += "EventRecordID > $After" }
  else { $parts += "TimeCreated[timediff(@SystemTime) <= $($FirstHours * 3600000)]" }
  if ($MaxLevel -lt 5) { $parts += "Level <= $MaxLevel" }
  return '*[System[' + ($parts -join ' and ') + ']]'
}

# Whether people asked for this event. Here and not in the query, which takes few conditions only.
function Test-Wanted($Event, [string] $Xml) {
  if ($Provider.Count -gt 0 -and $Provider -notcontains $Event.ProviderName) { return $false }
  if ($Id.Count -gt 0 -and $Id -notcontains $Event.Id) { return $false }
  if ($Text -ne '' -and $Xml.IndexOf($Text, [StringComparison]::OrdinalIgnoreCase) -lt 0) { return $false }
  return $true
}

function Get-NextEvents([string] $LogName, [long] $After) {
  try {
    return @(Get-WinEvent -LogName $LogName -FilterXPath (Get-Query $LogName $After) -Oldest -MaxEvents $BatchSize)
  }
  catch {
    if ($_.FullyQualifiedErrorId -like 'NoMatchingEventsFound*') { return @() }
    Write-Status "$LogName cannot be read: $($_.Exception.Message)"
    return @()
  }
}

function Get-Newest([string] $LogName) {
  try {
    return @(Get-WinEvent -LogName $LogName -MaxEvents 1)
  }
  catch {
    return @()
  }
}

$state = Read-State
Write-Status "sending $($Log -join ', ') to ${Server}:$Port"
while ($true) {
  $sent = 0
  foreach ($name in $Log) {
    $after = if ($state.ContainsKey($name)) { $state[$name] } else { -1L }
    $newest = @(Get-Newest $name)
    if ($newest.Count -gt 0 -and $newest[0].RecordId -lt $after) {
      # the log was made anew: its numbers begin again
      Write-Status "$name begins again at a lower number than $after"
      $after = 0L
    }
    # what a function gives back is no list where it is one or none
    $events = @(Get-NextEvents $name $after)
    if ($events.Count -eq 0) {
      if ($after -lt 0 -and $newest.Count -gt 0) {
        # nothing of the first hours is wanted: it begins behind what there is
        $state[$name] = [long] $newest[0].RecordId
        Save-State $state
      }
      continue
    }
    if ($after -gt 0 -and $MaxLevel -eq 5 -and $events[0].RecordId -gt $after + 1) {
      Write-Status "$name lacks events $($after + 1) to $($events[0].RecordId - 1): overwritten before they were read"
    }
    $wanted = @()
    foreach ($event in $events) {
      $xml = $event.ToXml()
      $ticks = if ($null -eq $event.TimeCreated) { 0 } else { $event.TimeCreated.Ticks }
      if (Test-Wanted $event $xml) { $wanted += @{ Xml = $xml; RecordId = $event.RecordId; Ticks = $ticks } }
    }
    if ($wanted.Count -gt 0) { Send-Events $name $wanted }
    $state[$name] = [long] $events[$events.Count - 1].RecordId
    Save-State $state
    $sent += $events.Count
  }
  if ($sent -eq 0) {
    if ($Once) { break }
    Start-Sleep -Seconds $EverySeconds
  }
}
