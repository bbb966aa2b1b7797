import { readEntity, valuesOfField } from "@halvik/core/model/entity";
import type { Severity } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { HISTORY_CODES, type HistoryCode, techniquesOf } from "@halvik/core/respond/incidents";
import {
  type IncidentToNotify,
  MESSAGES,
  type Message,
  NotifyRoute,
  notifiedChangeOf,
  type SentBefore,
  type Tells,
} from "@halvik/core/respond/notify";
import type { Queryable } from "../../kernel/db/pool.js";

export interface KeptRoute {
  readonly id: number;
  readonly author: string;
  readonly changedUs: number;
  readonly route: NotifyRoute;
}

export async function listRoutes(db: Queryable): Promise<KeptRoute[]> {
  const { rows } = await db.query<{ id: number; body: unknown; author: string; changed_us: number }>(
    "select id, body, author, changed_us from notify_route order by id",
  );
  return rows.map((r) => ({
    id: r.id,
    author: r.author,
    changedUs: r.changed_us,
    route: NotifyRoute.parse(r.body),
  }));
}

export async function insertRoute(db: Queryable, route: NotifyRoute, author: string, nowUs: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into notify_route (body, author, changed_us) values ($1, $2, $3) returning id",
    [JSON.stringify(route), author, nowUs],
  );
  return rows[0]!.id;
}

/** @returns false when there is no such route */
export async function changeRoute(
  db: Queryable,
  id: number,
  route: NotifyRoute,
  author: string,
  nowUs: number,
): Promise<boolean> {
  const changed = await db.query("update notify_route set body = $2, author = $3, changed_us = $4 where id = $1", [
    id,
    JSON.stringify(route),
    author,
    nowUs,
  ]);
  return changed.rowCount === 1;
}

/** @returns false when there is no such route */
export async function deleteRoute(db: Queryable, id: number): Promise<boolean> {
  return (await db.query("delete from notify_route where id = $1", [id])).rowCount === 1;
}

/** Something that happened to an incident and was not looked at yet by who tells others. */
export interface UnnotedEvent {
  readonly id: number;
  readonly incident: number;
  readonly atUs: number;
  readonly code: HistoryCode;
}

export async function unnotedEvents(db: Queryable, most: number): Promise<UnnotedEvent[]> {
  const { rows } = await db.query<{ id: number; incident: number; at_us: number; code: HistoryCode }>(
    "select id, incident, at_us, code from incident_event where not noted order by id limit $1",
    [most],
  );
  return rows.map((r) => ({ id: r.id, incident: r.incident, atUs: r.at_us, code: r.code }));
}

/** @param history those of them that were found in imported history */
export async function markNoted(db: Queryable, ids: readonly number[], history: readonly number[]): Promise<void> {
  await db.query("update incident_event set noted = true, history = id = any($2::int[]) where id = any($1::int[])", [
    ids,
    history,
  ]);
}

/** What routes look at; null: it is gone or lies in another one. */
export async function incidentToNotify(
  db: Queryable,
  id: number,
  directory: SenderDirectory,
): Promise<IncidentToNotify | null> {
  const { rows } = await db.query<{
    title: string;
    severity: Severity;
    state: IncidentToNotify["state"];
    count: number;
    rules: { id: string; name: string }[];
    refs: string[];
    techniques: string[];
    tags: string[];
    entities: string[];
    last_us: number;
    ended_us: number | null;
    stopped: boolean;
    acknowledged_us: number | null;
    new_since_seen: string[];
    folded: boolean;
    of_history: boolean;
    shelved_until_us: number | null;
  }>(
    `select i.title, i.severity, i.state, i.entities, i.last_us, i.ended_us, i.stopped, i.acknowledged_us, i.new_since_seen, i.folded, i.shelved_until_us,
       coalesce((select bool_and(e.history) from incident_event e where e.incident = i.id and e.code in ('raised', 'returned') and e.noted), false) as of_history,
       i.count, i.techniques,
       coalesce((select json_agg(distinct jsonb_build_object('id', f.rule_id, 'name', coalesce(r.body->>'name', f.rule_id))) from finding f left join rule r on r.id = f.rule_id where f.incident = i.id), '[]') as rules,
       array(select distinct t from finding f join rule r on r.id = f.rule_id cross join lateral jsonb_array_elements_text(r.body->'references') t where f.incident = i.id) as refs,
       array(select distinct t from finding f join rule r on r.id = f.rule_id cross join lateral jsonb_array_elements_text(r.body->'tags') t where f.incident = i.id) as tags
     from incident i where i.id = $1 and i.merged_into is null`,
    [id],
  );
  const row = rows[0];
  if (!row) return null;
  const senderIds = valuesOfField(row.entities, "sender").map(Number);
  const senders = senderIds.flatMap((id) => directory.get(id) ?? []);
  return {
    sites: [...new Set(senders.flatMap((s) => s.site ?? []))],
    groups: [...new Set(senders.flatMap((s) => s.groups))],
    title: row.title,
    severity: row.severity,
    state: row.state,
    rules: row.rules,
    tags: row.tags,
    techniques: techniquesOf(row.refs, row.techniques),
    count: row.count,
    senderIds,
    entities: row.entities.map((e) => {
      const { field, value } = readEntity(e);
      return field === "sender" ? { field, value: directory.name(Number(value)) } : { field, value };
    }),
    lastUs: row.last_us,
    endedUs: row.ended_us,
    stopped: row.stopped,
    acknowledged: row.acknowledged_us !== null,
    newSinceSeen: row.new_since_seen.length > 0,
    folded: row.folded,
    ofHistory: row.of_history,
    shelvedUntilUs: row.shelved_until_us,
  };
}

/** What a route has said of an incident since it was last raised. */
export async function sentBefore(db: Queryable, route: number, incident: number): Promise<SentBefore> {
  // what went to others than those of the route says nothing of those; a raise by any of its ways is one
  const { rows } = await db.query<{ tells: Message; state: string; ended_us: number | null }>(
    "select tells, state, ended_us from delivery where route = $1 and incident = $2 and step = 0 and tells <> 'reminder' and state in ('waiting', 'sent') order by id desc limit 50",
    [route, incident],
  );
  const over = rows.findIndex((r) => r.tells === "clear");
  const since = over < 0 ? rows : rows.slice(0, over);
  const raises = since.filter((r) => r.tells === "raise");
  const raise = raises.find((r) => r.state === "sent") ?? raises[0];
  return {
    over: over >= 0 && raise === undefined,
    raise: raise === undefined ? "never" : raise.state === "sent" ? "sent" : "waiting",
    updateWaits: since.some((r) => r.tells === "update" && r.state === "waiting"),
    lastSentUs: since.reduce<number | null>((last, r) => ((r.ended_us ?? 0) > (last ?? 0) ? r.ended_us : last), null),
  };
}

export interface NewDelivery {
  readonly route: number;
  readonly routeName: string;
  readonly incident: number | null;
  readonly tells: Tells;
  readonly event: number | null;
  readonly madeUs: number;
  readonly dueUs: number;
  /** Whom of its route, see `whomOf`. */
  readonly step: number;
  /** By which channel; null: by mail. */
  readonly channel: number | null;
  /** The output of a report that it brings. */
  readonly reportRun?: number;
  /** Mail addresses, as far as they are known before it is sent. */
  readonly to: readonly string[];
}

/** Keeps a message to be sent; the same event is told once by a route, in each of its ways. */
export async function insertDelivery(db: Queryable, d: NewDelivery): Promise<void> {
  await db.query(
    "insert into delivery (route, route_name, incident, tells, event, made_us, due_us, step, channel, recipients, report_run) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) on conflict do nothing",
    [
      d.route,
      d.routeName,
      d.incident,
      d.tells,
      d.event,
      d.madeUs,
      d.dueUs,
      d.step,
      d.channel,
      d.to,
      d.reportRun ?? null,
    ],
  );
}

export interface DueDelivery {
  readonly id: number;
  readonly route: number;
  readonly routeName: string;
  readonly incident: number | null;
  readonly event: number | null;
  readonly tells: Tells;
  readonly attempts: number;
  readonly dueUs: number;
  readonly madeUs: number;
  readonly step: number;
  readonly channel: number | null;
  readonly reportRun: number | null;
  /** What the message is known by, however often it is sent; several may be one message. */
  readonly message: string;
  /** What links in it are signed with. */
  readonly linkKey: string;
  /** Who has it already: an attempt reached some of them. */
  readonly reached: readonly string[];
}

export async function dueDeliveries(db: Queryable, nowUs: number, most: number): Promise<DueDelivery[]> {
  const { rows } = await db.query<DueDelivery>(
    `select id, route, route_name as "routeName", incident, event, tells, attempts, due_us as "dueUs", made_us as "madeUs", step, channel, report_run as "reportRun", message, link_key as "linkKey", reached
     from delivery where state = 'waiting' and due_us <= $1 order by due_us, id limit $2`,
    [nowUs, most],
  );
  return rows;
}

/** Several are one message from now on, and stay it if that is sent again. */
export async function makeOne(db: Queryable, ids: readonly number[]): Promise<void> {
  await db.query(
    "update delivery set message = (select message from delivery where id = $2) where id = any($1::int[])",
    [ids, ids[0]],
  );
}

/** What is due waits until then. */
export async function postponeDelivery(db: Queryable, id: number, why: string, untilUs: number): Promise<void> {
  await db.query("update delivery set due_us = $2, why = $3 where id = $1", [id, untilUs, why]);
}

/** Steps of a route, and channels of them, by which an incident was told since it last began: those who were told of it are told of its end. */
export async function stepsSent(
  db: Queryable,
  route: number,
  incident: number,
): Promise<readonly { readonly step: number; readonly channel: number | null }[]> {
  const { rows } = await db.query<{ step: number; channel: number | null }>(
    `select distinct step, channel from delivery where route = $1 and incident = $2 and state = 'sent' and tells <> 'clear'
       and id > coalesce((select max(id) from delivery where route = $1 and incident = $2 and tells = 'clear'), 0)`,
    [route, incident],
  );
  return rows;
}

/** Reminders of a raise that were sent by a route. @param event what raised it */
export async function remindersSent(db: Queryable, route: number, event: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select count(*)::int as n from delivery where route = $1 and event = $2 and tells = 'reminder' and state = 'sent'",
    [route, event],
  );
  return rows[0]!.n;
}

/** Messages a route has sent since a moment: those that went together count as one. */
export async function sentSince(
  db: Queryable,
  { route, step, channel }: Pick<DueDelivery, "route" | "step" | "channel">,
  sinceUs: number,
): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select count(distinct message)::int as n from delivery where route = $1 and state = 'sent' and ended_us > $2 and step = $3 and channel is not distinct from $4",
    [route, sinceUs, step, channel],
  );
  return rows[0]!.n;
}

export async function endDeliveries(
  db: Queryable,
  ids: readonly number[],
  state: "sent" | "failed" | "dropped",
  why: string,
  nowUs: number,
  recipients: readonly string[] = [],
): Promise<void> {
  await db.query(
    "update delivery set state = $2, why = $3, ended_us = $4, recipients = case when cardinality($5::text[]) > 0 then $5 else recipients end, attempts = attempts + case when $2 = 'dropped' then 0 else 1 end where id = any($1::int[])",
    [ids, state, why, nowUs, recipients],
  );
}

export async function retryDeliveries(
  db: Queryable,
  ids: readonly number[],
  why: string,
  dueUs: number,
  reached: readonly string[],
): Promise<void> {
  await db.query(
    "update delivery set attempts = attempts + 1, why = $2, due_us = $3, reached = $4 where id = any($1::int[])",
    [ids, why, dueUs, reached],
  );
}

export interface KeptLink {
  readonly incident: number;
  readonly key: string;
  readonly madeUs: number;
  readonly route: number;
  readonly step: number;
}

/** What a link of a message acknowledges, and what it was signed with; null: there is no such message about one incident. */
export async function linkOf(db: Queryable, message: string): Promise<KeptLink | null> {
  const { rows } = await db.query<KeptLink>(
    `select coalesce(i.merged_into, i.id) as incident, d.link_key as key, d.made_us as "madeUs", d.route, d.step
     from delivery d join incident i on i.id = d.incident where d.message = $1 and d.channel is null
       and (select count(*) from delivery o where o.message = d.message) = 1`,
    [message],
  );
  return rows[0] ?? null;
}

/** Marks a link as used. @returns false when it was */
export async function useLink(db: Queryable, message: string, nowUs: number): Promise<boolean> {
  const used = await db.query("update delivery set link_used_us = $2 where message = $1 and link_used_us is null", [
    message,
    nowUs,
  ]);
  return used.rowCount === 1;
}

/** What waits is not needed any more. @param only messages of these kinds */
export async function dropWaiting(
  db: Queryable,
  route: number,
  incident: number,
  why: string,
  nowUs: number,
  only: readonly Message[] = MESSAGES,
): Promise<void> {
  await db.query(
    "update delivery set state = 'dropped', why = $3, ended_us = $4 where route = $1 and incident = $2 and state = 'waiting' and tells = any($5::text[])",
    [route, incident, why, nowUs, only],
  );
}

export interface DeliveryRow {
  id: number;
  route: number;
  route_name: string;
  incident: number | null;
  title: string | null;
  tells: Tells;
  state: "waiting" | "sent" | "failed" | "dropped";
  made_us: number;
  due_us: number;
  ended_us: number | null;
  attempts: number;
  why: string;
  recipients: string[];
  step: number;
  message: string;
  /** The channel's name; null: mail. */
  channel_name: string | null;
}

/** Those made last, by the time that is told of each. @param incident only those about this one */
export async function latestDeliveries(
  db: Queryable,
  most: number,
  incident: number | null = null,
): Promise<DeliveryRow[]> {
  const { rows } = await db.query<DeliveryRow>(
    `select d.*, i.title, coalesce(c.body->>'name', case when d.channel is not null then 'a channel that is gone' end) as channel_name
     from (select * from delivery where $2::int is null or incident = $2 order by id desc limit $1) d
       left join incident i on i.id = d.incident left join (select id, body from notify_channel) c on c.id = d.channel
     order by coalesce(d.ended_us, d.made_us) desc, d.id desc`,
    [most, incident],
  );
  return rows;
}

/** What a person is noticed of: all that a notification may tell, but what people did themselves. */
const NOTICED = HISTORY_CODES.filter(
  (code) => notifiedChangeOf(code) !== null && code !== "closed" && code !== "took-in",
);

export interface NoticeRow {
  readonly id: number;
  readonly atUs: number;
  readonly code: HistoryCode;
  readonly detail: string;
  readonly incident: number;
  readonly title: string;
  readonly severity: Severity;
}

/** Lines of histories that people are noticed of, the newest first; nothing of what is older than `sinceUs`. */
export async function latestNotices(db: Queryable, sinceUs: number, most: number): Promise<NoticeRow[]> {
  const { rows } = await db.query<NoticeRow>(
    `select e.id, e.at_us as "atUs", e.code, e.detail, i.id as incident, i.title, i.severity
     from incident_event e join incident i on i.id = e.incident
     where e.code = any($3::text[]) and e.at_us > $1 and e.noted and not e.history and not i.folded order by e.id desc limit $2`,
    [sinceUs, most, NOTICED],
  );
  return rows;
}

/** Up to which notice a person has read; null: the person never has. */
export async function readUpTo(db: Queryable, person: string): Promise<number | null> {
  const { rows } = await db.query<{ event: number }>("select event from notices_read where person = $1", [person]);
  return rows[0]?.event ?? null;
}

export async function markRead(db: Queryable, person: string, event: number): Promise<void> {
  await db.query(
    "insert into notices_read (person, event) values ($1, $2) on conflict (person) do update set event = greatest(notices_read.event, excluded.event)",
    [person, event],
  );
}

/** A report that was made because it was due, and of which nobody was told yet. */
export interface UnsentRun {
  readonly id: number;
  /** Whom its schedule names. */
  readonly routes: readonly number[];
}

export async function unsentRuns(db: Queryable, most: number): Promise<UnsentRun[]> {
  const { rows } = await db.query<{ id: number; routes: number[] | null }>(
    `select r.id, array(select jsonb_array_elements_text(s.body->'routes')::int) as routes
     from report_run r join report_schedule s on s.id = r.schedule where r.state = 'made' and not r.told order by r.id limit $1`,
    [most],
  );
  return rows.map((r) => ({ id: r.id, routes: r.routes ?? [] }));
}

export const markSent = (db: Queryable, run: number): Promise<unknown> =>
  db.query("update report_run set told = true where id = $1", [run]);

/** What a message that brings a report brings; null: it is gone. */
export async function reportOfRun(db: Queryable, run: number): Promise<{ report: number; body: unknown } | null> {
  const { rows } = await db.query<{ report: number; body: unknown }>(
    "select report, body from report_run where id = $1 and body is not null",
    [run],
  );
  return rows[0] ?? null;
}
