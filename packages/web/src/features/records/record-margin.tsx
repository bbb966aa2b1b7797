import type { PortraitKind } from "@halvik/contract/portrait";
import type { RecordDetail, RecordJson } from "@halvik/contract/records";
import { cutText } from "@halvik/core/base/text";
import { bytesText, endText } from "@halvik/core/meaning/sentence";
import { countFromJson, fieldNamed } from "@halvik/core/model/record";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link } from "react-router";
import { recordQuery } from "../../data/api";
import { useViewStore, usOf } from "../../data/view-store";
import { windowParams } from "../../data/window-url";
import { AddressName, NamedText } from "../../shared/address-names";
import { PortraitLink } from "../../shared/portrait-link";
import { Button, Kbd, TextButton } from "../../ui/button";
import { copyText } from "../../ui/copy-text";
import { Trouble } from "../../ui/empty-state";
import { Facts, Heading } from "../../ui/page";
import { safeText } from "../../ui/safe-text";
import { clockMs, day } from "../../ui/time";
import { Tooltip } from "../../ui/tooltip";
import { Around } from "./around";
import { outageText } from "./outages";
import { RaiseOnThis } from "./raise-on-this";
import { RightAfterRecord } from "./right-after";
import { type PivotActions, pivotOf, Value } from "./values";

const TIME_REASONS: Readonly<Record<string, string>> = {
  device: "the device’s own time",
  corrected: "the device’s time, corrected by its clock offset",
  "arrival: coarse stamp": "arrival: the device’s stamp has whole seconds only",
  "arrival: no stamp": "arrival: the device sent no time",
  "arrival: too far ahead": "arrival: the device’s time is more than 5 min ahead",
  "arrival: too far behind": "arrival: the device’s time is more than 7 days behind",
};

/** What a title shows of a sentence. */
const LONGEST_TITLE = 160;

/** Kinds whose text somebody's program wrote. */
const HAVE_LINES: readonly string[] = ["syslog", "json", "firewall"];

/** Whether it can be asked of a record if that was allowed: it names both ends, and tells of traffic. */
export const isDecidable = ({ action, kind, src, dst }: RecordJson): boolean =>
  (action !== undefined || kind === "flow") && src !== undefined && dst !== undefined;

/** The policy check of what a record tells of, in the window that is looked at. */
export function policySearch({ src, dst, dstPort }: RecordJson): string {
  const params = new URLSearchParams(windowParams());
  for (const [name, value] of Object.entries({ src, dst, port: dstPort }))
    if (value !== undefined) params.set(name, String(value));
  return params.toString();
}

/** Everything about one record: fields, both times, where its severity comes from, its raw bytes as text and hex. */
export function RecordMargin({
  id,
  filter,
  actions,
  onLines,
  onClose,
}: {
  id: string;
  filter: string;
  actions: PivotActions;
  /** What is around a record by a filter, as lines. */
  onLines: (record: RecordJson, part: string) => void;
  onClose: () => void;
}) {
  const detail = useQuery(recordQuery(id));
  const title = useRef<HTMLHeadingElement>(null);
  const shownId = detail.data?.record.id;
  const shownBefore = useRef(shownId);
  useEffect(() => {
    // after a jump from here to another record, the focus is not left behind on what has gone
    if (
      shownBefore.current !== undefined &&
      shownId !== shownBefore.current &&
      document.activeElement === document.body
    )
      title.current?.focus();
    shownBefore.current = shownId;
  }, [shownId]);
  if (detail.error && !detail.data) return <Trouble error={detail.error} what="This record cannot be shown" />;
  if (!detail.data) return null;
  const { record, incidents, outage, amended } = detail.data;
  return (
    <>
      <div className="flex items-start justify-between gap-2">
        <h2 ref={title} tabIndex={-1} className="min-w-0 text-title leading-6 font-semibold break-words outline-none">
          <bdi>
            <NamedText>
              {record.sentence.length > LONGEST_TITLE ? `${cutText(record.sentence, LONGEST_TITLE)}…` : record.sentence}
            </NamedText>
          </bdi>
        </h2>
        <Button onClick={onClose} aria-label="Close the margin" shortcut="Esc" />
      </div>
      {incidents.map((i) => (
        <p key={i.id} className="mt-1 text-quiet">
          in incident <Link to={`/incidents/${i.id}`}>{safeText(i.title)}</Link>
        </p>
      ))}
      {outage && (
        <p className="mt-1 text-ui">
          {outage.end === "down" ? "It went down here and was " : "It came up here and "}
          {outageText(outage.end, outage.lastedMs * 1_000)}:{" "}
          <TextButton onClick={() => actions.show(outage.record)}>
            {outage.end === "down" ? "the record of its return" : "the record of its going down"}
          </TextButton>
        </p>
      )}
      {isDecidable(record) && (
        <p className="mt-1 text-ui">
          <Link to={{ pathname: "/traffic/policy", search: policySearch(record) }}>was it allowed?</Link> <Kbd>y</Kbd>
        </p>
      )}
      <p className="mt-1 text-ui">
        <Link to={`/intake/trace?record=${record.id}`}>follow its way</Link>
        {HAVE_LINES.includes(record.kind) && (
          <Link to={`/intake/formats?of=${record.id}`} className="ml-3">
            make a format of it
          </Link>
        )}
      </p>
      {amended && <Amended of={amended} />}
      <Portraits record={record} />
      {record.problem && (
        <p className="mt-2 border-l-2 border-ochre bg-ochre-wash px-2 py-1 text-ui">
          Not decoded in full: {safeText(record.problem.message)} ({record.problem.code}, at {record.problem.offset})
        </p>
      )}
      {record.next && <p className="mt-1.5 border-l-2 border-line-strong pl-2 text-ui text-quiet">{record.next}</p>}
      <div className="mt-2.5 flex flex-wrap items-baseline gap-1.5">
        <Button onClick={() => actions.around(record)}>Around this</Button>
        <Button onClick={() => actions.only(pivotOf("sender", record.sender.name))} shortcut="w">
          Only {safeText(record.sender.name)}
        </Button>
        <Button onClick={() => actions.without(pivotOf("sender", record.sender.name))} shortcut="o">
          Without
        </Button>
        <RightAfterRecord record={record} onPick={actions.rightAfter} />
        <RaiseOnThis record={record} />
      </div>
      <Copy record={record} raw={detail.data.raw.base64} />
      <Around
        key={record.id}
        record={record}
        filter={filter}
        onShow={actions.show}
        onLines={(part) => onLines(record, part)}
      />
      <Fields record={record} actions={actions} />
      {record.kind === "flow" ? (
        <>
          <Heading>Raw</Heading>
          <p className="text-ui text-quiet">Not stored: a flow is one of many in its datagram, which is named above.</p>
        </>
      ) : (
        <Raw raw={detail.data.raw} />
      )}
    </>
  );
}

/** Whom it names, each with everything there is about them. */
function Portraits({ record: { sender, src, dst, users } }: { record: RecordJson }) {
  const named: readonly (readonly [kind: PortraitKind, value: string])[] = [
    ["sender", sender.name],
    ...[src, dst === src ? undefined : dst].flatMap((a) => (a === undefined ? [] : [["address", a] as const])),
    ...(users ?? []).map((u) => ["user", u] as const),
  ];
  return (
    <p className="mt-1 flex flex-wrap gap-x-2 text-ui text-quiet">
      portrait of
      {named.map(([kind, value]) => (
        <PortraitLink key={`${kind} ${value}`} kind={kind} value={value}>
          {safeText(value)}
        </PortraitLink>
      ))}
    </p>
  );
}

/** The record for elsewhere: its text, every field, or what came, byte for byte where that is text. */
function Copy({ record, raw }: { record: RecordJson; raw: string }) {
  const [copied, setCopied] = useState<string | null>(null);
  const bytes = () => Uint8Array.from(atob(raw), (c) => c.charCodeAt(0));
  const ways: readonly (readonly [name: string, text: () => string])[] = [
    ["text", () => record.text || record.sentence],
    ["JSON", () => JSON.stringify(record, null, 2)],
    ["raw", () => new TextDecoder().decode(bytes())],
  ];
  return (
    <p className="mt-1.5 text-ui text-quiet">
      copy{" "}
      {ways.map(([name, text]) => (
        <TextButton
          key={name}
          className="mr-2 underline"
          onClick={() => void copyText(text(), null).then((isThere) => isThere && setCopied(name))}
        >
          {name}
        </TextButton>
      ))}
      <span aria-live="polite">{copied && `${copied} copied`}</span>
    </p>
  );
}

function Fields({ record, actions }: { record: RecordJson; actions: PivotActions }) {
  const zone = useViewStore((s) => s.zone);
  const value = (field: string, text: string | number | undefined) =>
    text === undefined ? null : (
      <>
        <Value pivot={pivotOf(field, String(text))} record={record} actions={actions} />
        {fieldNamed(field)?.type === "address" && <AddressName address={String(text)} />}
      </>
    );
  const list = (field: string, values: readonly string[] | undefined) =>
    values?.length
      ? values.map((v) => (
          <span key={v} className="mr-2">
            {value(field, v)}
          </span>
        ))
      : null;
  const when = (iso: string) => `${day(usOf(iso), zone)} ${clockMs(usOf(iso), zone)}`;
  return (
    <>
      <div className="mt-2">
        <Facts
          facts={[
            [
              "severity",
              record.severity === record.originalSeverity
                ? record.severity
                : `${record.severity} · original: ${record.originalSeverity ?? "none sent"}`,
            ],
            [
              "category",
              <>
                {value("category", record.category)} · {record.outcome}
              </>,
            ],
            ["facility", value("facility", record.facility)],
            ["time", when(record.time)],
            ["", TIME_REASONS[record.timeReason] ?? record.timeReason],
            ["device time", record.deviceTime ? safeText(record.deviceTime) : "not sent"],
            [
              "arrival",
              `${when(record.arrival)}${record.clockOffsetMs ? ` (clock ${record.clockOffsetMs > 0 ? "+" : ""}${(record.clockOffsetMs / 1000).toFixed(1)} s)` : ""}`,
            ],
            ["sender", value("sender", record.sender.name)],
            ["host", value("host", record.host)],
            ["app", value("app", record.app)],
            ["process", value("process", record.process)],
            ["event", value("event", record.event)],
            [
              "shape",
              record.shape === undefined ? null : (
                <>
                  {value("shape", record.shape)}{" "}
                  <Link to={`/records?view=shapes&shape=${record.shape}`} className="font-sans">
                    all it says
                  </Link>
                </>
              ),
            ],
            ["", record.eventName === undefined ? null : safeText(record.eventName)],
            ["user", list("user", record.users)],
            ["src", value("src", record.src)],
            ["src port", value("src port", record.srcPort)],
            ["dst", value("dst", record.dst)],
            ["dst port", value("dst port", record.dstPort)],
            ["protocol", value("protocol", record.protocol)],
            ["application", value("application", record.application)],
            ["verdict", value("action", record.action)],
            ["translated", translatedText(record)],
            [
              "bytes",
              record.bytes === undefined
                ? null
                : `${countFromJson(record.bytes).toLocaleString("en")} (${bytesText(countFromJson(record.bytes))})`,
            ],
            ["packets", record.packets === undefined ? null : countFromJson(record.packets).toLocaleString("en")],
            ["interface", value("interface", record.interface)],
            ["addresses", list("address", record.otherAddresses)],
            ["came by", `${record.endpoint}${record.marks?.length ? ` · ${record.marks.join(", ")}` : ""}`],
            ["copy of", record.copyOf ?? null],
            ["record", record.id],
          ]}
        />
      </div>
      {record.flow && <FlowFactsList record={record} actions={actions} />}
      {(record.named?.length ?? 0) > 0 && (
        <>
          <Heading small="by the modules on Intake, Names">Variable bindings</Heading>
          <Facts
            facts={record.named!.map((n) => [
              safeText(n.name),
              <Tooltip key={n.oid} text={n.about ? safeText(n.about) : ""}>
                <span>{safeText(n.value)}</span>
              </Tooltip>,
            ])}
          />
        </>
      )}
      {record.entities.length > 0 && (
        <>
          <Heading>Names</Heading>
          <Facts
            facts={record.entities.map((e) => [
              `${e.kind}, ${e.role}`,
              e.original === e.value ? safeText(e.value) : `${safeText(e.value)} (written ${safeText(e.original)})`,
            ])}
          />
        </>
      )}
      {(record.data?.length ?? 0) > 0 && (
        <>
          <Heading>Named values</Heading>
          <Facts
            facts={record.data!.map(([name, v]) => [
              safeText(name),
              <Value
                key={name}
                pivot={{
                  label: v,
                  only: `data "${name.replace(/["\\]/g, "\\$&")}" is "${v.replace(/["\\]/g, "\\$&")}"`,
                }}
                record={record}
                actions={actions}
              />,
            ])}
          />
        </>
      )}
    </>
  );
}

const EXPORTED: Readonly<Record<string, string>> = { 0: "ingress", 1: "egress" };

/** What only a flow says. */
function FlowFactsList({ record, actions }: { record: RecordJson; actions: PivotActions }) {
  const f = record.flow!;
  const zone = useViewStore((s) => s.zone);
  const value = (field: string, n: number | undefined, name?: string) =>
    n === undefined ? null : (
      <>
        <Value pivot={pivotOf(field, String(n))} record={record} actions={actions} />
        {name && ` ${safeText(name)}`}
      </>
    );
  return (
    <>
      <Heading small={f.samplingRate ? `estimated: 1 packet in ${f.samplingRate} was counted` : undefined}>
        Flow
      </Heading>
      <Facts
        facts={[
          ["began", f.start ? `${day(usOf(f.start), zone)} ${clockMs(usOf(f.start), zone)}` : null],
          ["in by", value("ingress", f.ingress, record.ingressName)],
          ["out by", value("egress", f.egress, record.egressName)],
          ["DSCP", value("dscp", f.dscp)],
          ["TCP flags", f.tcpFlags === undefined ? null : flagNames(f.tcpFlags)],
          ["ICMP", f.icmp === undefined ? null : `type ${f.icmp >> 8}, code ${f.icmp & 255}`],
          ["src AS", value("src as", f.srcAs)],
          ["dst AS", value("dst as", f.dstAs)],
          ["next hop", f.nextHop],
          ["VLAN", f.vlan],
          ["seen at", f.direction === undefined ? null : (EXPORTED[f.direction] ?? String(f.direction))],
          [
            "other way",
            f.reverseBytes === undefined
              ? null
              : `${bytesText(countFromJson(f.reverseBytes))} in ${f.reversePackets === undefined ? "?" : countFromJson(f.reversePackets).toLocaleString("en")} packets`,
          ],
          ["exporter’s", `stream ${f.domain ?? 0}, datagram ${f.sequence ?? 0}`],
        ]}
      />
    </>
  );
}

/** TCP flags from the lowest bit (RFC 9293 section 3.1). */
const FLAGS = ["FIN", "SYN", "RST", "PSH", "ACK", "URG", "ECE", "CWR"];
const flagNames = (bits: number): string => FLAGS.filter((_, i) => bits & (1 << i)).join(" ") || "none";

function translatedText(record: RecordJson): string | null {
  const t = record.translated;
  if (!t) return null;
  const parts = [
    t.src || t.srcPort ? `from ${endText(t.src ?? record.src ?? null, t.srcPort ?? null)}` : "",
    t.dst || t.dstPort ? `to ${endText(t.dst ?? record.dst ?? null, t.dstPort ?? null)}` : "",
  ];
  return parts.filter((p) => p !== "").join(" ");
}

const HEX_ROW = 8;
/** So many octets are shown as hex; all of them are had by an export. */
const MOST_HEX = 16_384;

function Raw({ raw }: { raw: RecordDetail["raw"] }) {
  const [hex, setHex] = useState(false);
  const bytes = useMemo(() => Uint8Array.from(atob(raw.base64), (c) => c.charCodeAt(0)), [raw.base64]);
  const text = useMemo(() => new TextDecoder().decode(bytes), [bytes]);
  return (
    <>
      <Heading small={`${raw.bytes.toLocaleString("en")} bytes`}>
        Raw{" "}
        <TextButton className="ml-1 text-code font-normal underline" onClick={() => setHex(!hex)}>
          {hex ? "as text" : "as hex"}
        </TextButton>
      </Heading>
      <pre
        className="bg-wash px-2 py-1.5 font-mono text-small leading-[1.0625rem] break-all whitespace-pre-wrap text-ink"
        data-testid="raw"
      >
        {hex ? hexDump(bytes) : safeText(text)}
      </pre>
    </>
  );
}

function hexDump(bytes: Uint8Array): string {
  const rows: string[] = [];
  for (let at = 0; at < Math.min(bytes.length, MOST_HEX); at += HEX_ROW) {
    const row = [...bytes.subarray(at, at + HEX_ROW)];
    const hex = row.map((b) => b.toString(16).padStart(2, "0")).join(" ");
    const ascii = row.map((b) => (b >= 32 && b < 127 ? String.fromCharCode(b) : "·")).join("");
    rows.push(`${at.toString(16).padStart(4, "0")}  ${hex.padEnd(HEX_ROW * 3 - 1)}  ${ascii}`);
  }
  const more = bytes.length - MOST_HEX;
  return [...rows, ...(more > 0 ? [`… and ${more.toLocaleString("en")} more`] : [])].join("\n");
}

/** What a format read anew in it after it was stored, and what it said as it arrived. */
function Amended({ of }: { of: NonNullable<RecordDetail["amended"]> }) {
  const zone = useViewStore((s) => s.zone);
  return (
    <details className="mt-1.5 border-l-2 border-line-strong pl-2 text-ui">
      <summary className="cursor-pointer text-quiet">
        read anew by the format “{safeText(of.format)}”, version {of.version}, on {day(usOf(of.at), zone)}
      </summary>
      <p className="text-quiet">As it arrived:</p>
      {of.before.map((b) => (
        <p key={b.field}>
          <span className="text-quiet">{b.field}</span>{" "}
          {b.values.length === 0 ? "nothing" : safeText(b.values.join(", "))}
        </p>
      ))}
    </details>
  );
}
