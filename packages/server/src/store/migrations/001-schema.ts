/**
 * All tables as they were when the migrations before the first release were put together, dumped from a database that all of them had made.
 * Frozen: what changes from now on is a migration after this one. Segments are tables made like the two templates (docs/storage.md).
 */
export const up = `
CREATE SCHEMA segments;

CREATE FUNCTION public.bump_directory() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin update directory_version set version = version + 1; return null; end $$;

CREATE FUNCTION public.bump_kinds() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin update kind_change set version = version + 1; return null; end $$;

CREATE FUNCTION public.bump_rules() RETURNS trigger
    LANGUAGE plpgsql
    AS $$
begin update rule_change set version = version + 1; return null; end $$;

CREATE FUNCTION public.key_hash(key text) RETURNS bytea
    LANGUAGE plpgsql IMMUTABLE STRICT PARALLEL SAFE
    AS $$
begin return sha256(convert_to(key, 'UTF8')); end $$;

CREATE FUNCTION segments.drop_filling_indexes(name text) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'pg_temp'
    AS $$
declare index regclass;
begin
  perform segments.require_name(name);
  for index in
    select i.indexrelid::regclass from pg_index i where i.indrelid = format('segments.%I', name)::regclass
      and not (i.indpred is null and (select array_agg(a.attname::text order by k.n) from unnest(i.indkey) with ordinality k (number, n)
        join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.number) in (array['id'], array['time', 'id']))
  loop
    execute format('drop index %s', index);
  end loop;
end $$;

CREATE FUNCTION segments.drop_table(name text) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'pg_temp'
    AS $$
begin
  perform segments.require_name(name);
  execute format('drop table segments.%I', name);
end $$;

CREATE FUNCTION segments.make(name text) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'pg_temp'
    AS $$
begin
  perform segments.require_name(name);
  execute format('create table segments.%I (like segments.%I including all)', name,
    case when name like 'f%' then 'flow_template' else 'template' end);
end $$;

CREATE FUNCTION segments.make_statistics(name text) RETURNS void
    LANGUAGE plpgsql SECURITY DEFINER
    SET search_path TO 'pg_catalog', 'pg_temp'
    AS $$
begin
  perform segments.require_name(name);
  execute format('analyze segments.%I', name);
end $$;

CREATE FUNCTION segments.require_name(name text) RETURNS void
    LANGUAGE plpgsql IMMUTABLE
    AS $_$
begin
  if name !~ '^[sf]_[0-9]{4}_(live|late|import)_[0-9]{6}$' then
    raise exception 'segment name % is not one of ours', quote_literal(name) using errcode = '22023';
  end if;
end $_$;

CREATE TABLE public.admitted_network (
    id integer NOT NULL,
    network cidr NOT NULL,
    added_by text NOT NULL,
    added_us bigint NOT NULL
);

CREATE SEQUENCE public.admitted_network_id_seq AS integer;
ALTER SEQUENCE public.admitted_network_id_seq OWNED BY public.admitted_network.id;

CREATE TABLE public.audit (
    id bigint NOT NULL,
    at_us bigint NOT NULL,
    who text NOT NULL,
    what text NOT NULL,
    detail jsonb DEFAULT '{}'::jsonb NOT NULL
);

CREATE SEQUENCE public.audit_id_seq;
ALTER SEQUENCE public.audit_id_seq OWNED BY public.audit.id;

CREATE TABLE public.batch (
    collector integer NOT NULL,
    number bigint NOT NULL,
    rows integer NOT NULL,
    low_id bigint,
    high_id bigint,
    through_us bigint NOT NULL,
    run_rules boolean DEFAULT true NOT NULL,
    committed_us bigint NOT NULL
);

CREATE TABLE public.bulk_act (
    id integer NOT NULL,
    at_us bigint NOT NULL,
    who text NOT NULL,
    act jsonb NOT NULL,
    before jsonb NOT NULL,
    undone boolean DEFAULT false NOT NULL
);

ALTER TABLE public.bulk_act ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.bulk_act_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.collector (
    number integer NOT NULL,
    name text NOT NULL,
    kind text NOT NULL,
    CONSTRAINT collector_kind_check CHECK ((kind = ANY (ARRAY['live'::text, 'import'::text, 'engine'::text])))
);

CREATE TABLE public.delivery (
    id integer NOT NULL,
    route integer NOT NULL,
    route_name text NOT NULL,
    incident integer,
    tells text NOT NULL,
    event integer,
    state text DEFAULT 'waiting'::text NOT NULL,
    made_us bigint NOT NULL,
    due_us bigint NOT NULL,
    ended_us bigint,
    attempts integer DEFAULT 0 NOT NULL,
    why text DEFAULT ''::text NOT NULL,
    recipients text[] NOT NULL
);

ALTER TABLE public.delivery ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.delivery_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.directory_version (
    single boolean DEFAULT true NOT NULL,
    version bigint DEFAULT 1 NOT NULL,
    CONSTRAINT directory_version_single_check CHECK (single)
);

CREATE TABLE public.dropped_segment (
    name text NOT NULL,
    shape text NOT NULL,
    rows bigint NOT NULL,
    min_time bigint NOT NULL,
    max_time bigint NOT NULL,
    dropped_us bigint NOT NULL
);

CREATE TABLE public.endpoint (
    name text NOT NULL,
    transport text NOT NULL,
    address text NOT NULL,
    port integer NOT NULL,
    state text NOT NULL,
    detail text DEFAULT ''::text NOT NULL,
    counters jsonb DEFAULT '{}'::jsonb NOT NULL,
    updated_us bigint NOT NULL
);

CREATE TABLE public.endpoint_config (
    id integer NOT NULL,
    name text NOT NULL,
    kind text NOT NULL,
    host text,
    port integer,
    port_setting text,
    enabled boolean DEFAULT true NOT NULL,
    settings jsonb DEFAULT '{}'::jsonb NOT NULL,
    CONSTRAINT endpoint_config_check CHECK (((port IS NOT NULL) OR (port_setting IS NOT NULL))),
    CONSTRAINT endpoint_config_kind_check CHECK ((kind = ANY (ARRAY['syslog-udp'::text, 'syslog-tcp'::text, 'syslog-tls'::text, 'snmp'::text, 'flow'::text, 'https'::text]))),
    CONSTRAINT endpoint_config_name_check CHECK ((name <> ''::text)),
    CONSTRAINT endpoint_config_port_check CHECK (((port >= 0) AND (port <= 65535)))
);

CREATE SEQUENCE public.endpoint_config_id_seq AS integer;
ALTER SEQUENCE public.endpoint_config_id_seq OWNED BY public.endpoint_config.id;

CREATE TABLE public.engine_close (
    id integer NOT NULL,
    rule_id text NOT NULL,
    key text NOT NULL,
    at_us bigint NOT NULL,
    taken boolean DEFAULT false NOT NULL,
    due_us bigint DEFAULT 0 NOT NULL
);

CREATE SEQUENCE public.engine_close_id_seq AS integer;
ALTER SEQUENCE public.engine_close_id_seq OWNED BY public.engine_close.id;

CREATE TABLE public.engine_cursor (
    collector integer NOT NULL,
    number bigint NOT NULL,
    through_us bigint NOT NULL
);

CREATE TABLE public.engine_lane (
    lane text NOT NULL,
    watermark_us bigint NOT NULL
);

CREATE TABLE public.engine_state (
    rule_id text NOT NULL,
    lane text NOT NULL,
    key text NOT NULL,
    state jsonb NOT NULL,
    logic text DEFAULT ''::text NOT NULL
);

CREATE TABLE public.finding (
    id integer NOT NULL,
    incident integer,
    rule_id text NOT NULL,
    lane text NOT NULL,
    key text NOT NULL,
    first_us bigint NOT NULL,
    last_us bigint NOT NULL,
    raised_us bigint NOT NULL,
    count bigint NOT NULL,
    evidence_first jsonb NOT NULL,
    evidence_latest jsonb NOT NULL,
    entities text[] NOT NULL,
    cleared_us bigint,
    cleared_by text,
    merged_into integer,
    rule_version integer DEFAULT 1 NOT NULL,
    facts jsonb DEFAULT '[]'::jsonb NOT NULL,
    joined text DEFAULT ''::text NOT NULL,
    worse smallint DEFAULT 0 NOT NULL
);

CREATE SEQUENCE public.finding_id_seq AS integer;
ALTER SEQUENCE public.finding_id_seq OWNED BY public.finding.id;

CREATE TABLE public.flow_destination (
    bucket integer NOT NULL,
    address inet NOT NULL,
    flows bigint NOT NULL,
    bytes bigint NOT NULL,
    packets bigint NOT NULL
)
WITH (fillfactor='70');

CREATE TABLE public.flow_domain (
    key text NOT NULL,
    saved jsonb NOT NULL,
    changed_us bigint NOT NULL
);

CREATE TABLE public.flow_interface (
    bucket integer NOT NULL,
    sender integer NOT NULL,
    ingress bigint NOT NULL,
    egress bigint NOT NULL,
    flows bigint NOT NULL,
    bytes bigint NOT NULL,
    packets bigint NOT NULL
)
WITH (fillfactor='70');

CREATE TABLE public.flow_service (
    bucket integer NOT NULL,
    protocol smallint NOT NULL,
    port integer NOT NULL,
    flows bigint NOT NULL,
    bytes bigint NOT NULL,
    packets bigint NOT NULL
)
WITH (fillfactor='70');

CREATE TABLE public.flow_source (
    bucket integer NOT NULL,
    address inet NOT NULL,
    flows bigint NOT NULL,
    bytes bigint NOT NULL,
    packets bigint NOT NULL
)
WITH (fillfactor='70');

CREATE TABLE public.held_record (
    id bigint NOT NULL,
    sender integer NOT NULL,
    endpoint text NOT NULL,
    received_us bigint NOT NULL,
    raw bytea NOT NULL,
    protocol smallint DEFAULT 0 NOT NULL
);

CREATE SEQUENCE public.held_record_id_seq;
ALTER SEQUENCE public.held_record_id_seq OWNED BY public.held_record.id;

CREATE TABLE public.imported_file (
    sha256 text NOT NULL,
    name text NOT NULL,
    bytes bigint NOT NULL,
    imported_us bigint NOT NULL,
    receipt jsonb NOT NULL,
    job bigint
);

CREATE TABLE public.incident (
    id integer NOT NULL,
    title text NOT NULL,
    severity smallint NOT NULL,
    state text NOT NULL,
    rule_id text NOT NULL,
    rule_version integer NOT NULL,
    key text NOT NULL,
    first_us bigint NOT NULL,
    last_us bigint NOT NULL,
    raised_us bigint NOT NULL,
    ended_us bigint,
    count bigint NOT NULL,
    returned integer DEFAULT 0 NOT NULL,
    entities text[] DEFAULT '{}'::text[] NOT NULL,
    close_reason text,
    acknowledged_by text,
    acknowledged_us bigint,
    seen jsonb,
    new_since_seen text[] DEFAULT '{}'::text[] NOT NULL,
    owner text,
    linked_to integer,
    merged_into integer,
    shelved_until_us bigint,
    shelved_by text,
    shelved_why text,
    reminded_us bigint,
    stopped boolean DEFAULT false NOT NULL,
    CONSTRAINT incident_close_reason_check CHECK ((close_reason = ANY (ARRAY['fixed'::text, 'expected'::text, 'false'::text, 'duplicate'::text]))),
    CONSTRAINT incident_state_check CHECK ((state = ANY (ARRAY['open'::text, 'cleared'::text, 'closed'::text])))
);

CREATE TABLE public.incident_event (
    id bigint NOT NULL,
    incident integer NOT NULL,
    at_us bigint NOT NULL,
    who text NOT NULL,
    what text NOT NULL,
    detail text DEFAULT ''::text NOT NULL,
    noted boolean DEFAULT false NOT NULL,
    history boolean DEFAULT false NOT NULL
);

CREATE SEQUENCE public.incident_event_id_seq;
ALTER SEQUENCE public.incident_event_id_seq OWNED BY public.incident_event.id;
CREATE SEQUENCE public.incident_id_seq AS integer;
ALTER SEQUENCE public.incident_id_seq OWNED BY public.incident.id;

CREATE TABLE public.incident_task (
    id integer NOT NULL,
    incident integer NOT NULL,
    text text NOT NULL,
    made_by text NOT NULL,
    made_us bigint NOT NULL,
    done_by text,
    done_us bigint
);

ALTER TABLE public.incident_task ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.incident_task_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.index_directory (
    part bigint NOT NULL,
    number integer NOT NULL,
    data bytea NOT NULL
);
ALTER TABLE ONLY public.index_directory ALTER COLUMN data SET COMPRESSION lz4;

CREATE TABLE public.index_part (
    id bigint NOT NULL,
    segment text NOT NULL,
    collector integer NOT NULL,
    rows integer NOT NULL,
    first_id bigint NOT NULL,
    last_id bigint NOT NULL,
    min_time bigint NOT NULL,
    max_time bigint NOT NULL,
    first_terms text[] NOT NULL,
    block_min bigint[] NOT NULL,
    block_max bigint[] NOT NULL
);

ALTER TABLE public.index_part ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.index_part_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.index_terms (
    part bigint NOT NULL,
    number integer NOT NULL,
    terms bytea NOT NULL,
    rows bytea NOT NULL
);
ALTER TABLE ONLY public.index_terms ALTER COLUMN terms SET COMPRESSION lz4;
ALTER TABLE ONLY public.index_terms ALTER COLUMN rows SET COMPRESSION lz4;

CREATE TABLE public.interface_measure (
    sender integer NOT NULL,
    interface bigint NOT NULL,
    "time" bigint NOT NULL,
    speed numeric NOT NULL,
    status integer NOT NULL,
    in_octets numeric NOT NULL,
    in_packets bigint NOT NULL,
    in_discards bigint NOT NULL,
    in_errors bigint NOT NULL,
    out_octets numeric NOT NULL,
    out_packets bigint NOT NULL,
    out_discards bigint NOT NULL,
    out_errors bigint NOT NULL
);

CREATE TABLE public.interface_name (
    exporter text NOT NULL,
    index bigint NOT NULL,
    name text NOT NULL
);

CREATE TABLE public.job (
    id integer NOT NULL,
    name text NOT NULL,
    state text NOT NULL,
    done bigint DEFAULT 0 NOT NULL,
    total bigint,
    unit text DEFAULT 'records'::text NOT NULL,
    message text DEFAULT ''::text NOT NULL,
    started_us bigint NOT NULL,
    updated_us bigint NOT NULL,
    file text,
    peer text,
    CONSTRAINT job_state_check CHECK ((state = ANY (ARRAY['waiting'::text, 'running'::text, 'cancelling'::text, 'done'::text, 'failed'::text, 'cancelled'::text, 'removed'::text])))
);

CREATE SEQUENCE public.job_id_seq AS integer;
ALTER SEQUENCE public.job_id_seq OWNED BY public.job.id;

CREATE TABLE public.kind_change (
    single boolean DEFAULT true NOT NULL,
    version bigint DEFAULT 1 NOT NULL,
    CONSTRAINT kind_change_single_check CHECK (single)
);

CREATE TABLE public.listening (
    from_us bigint NOT NULL,
    to_us bigint NOT NULL,
    CONSTRAINT listening_check CHECK ((to_us >= from_us))
);

CREATE TABLE public.mib_module (
    name text NOT NULL,
    source text NOT NULL,
    added_by text NOT NULL,
    added_us bigint NOT NULL
);

CREATE TABLE public.notices_read (
    person text NOT NULL,
    event integer NOT NULL
);

CREATE TABLE public.notify_route (
    id integer NOT NULL,
    body jsonb NOT NULL,
    author text NOT NULL,
    changed_us bigint NOT NULL
);

ALTER TABLE public.notify_route ALTER COLUMN id ADD GENERATED ALWAYS AS IDENTITY (
    SEQUENCE NAME public.notify_route_id_seq
    START WITH 1
    INCREMENT BY 1
    NO MINVALUE
    NO MAXVALUE
    CACHE 1
);

CREATE TABLE public.own_application (
    id integer NOT NULL,
    name text NOT NULL,
    protocol smallint,
    low_port integer,
    high_port integer,
    network cidr,
    changed_by text NOT NULL,
    changed_us bigint NOT NULL
);

CREATE SEQUENCE public.own_application_id_seq AS integer;
ALTER SEQUENCE public.own_application_id_seq OWNED BY public.own_application.id;

CREATE TABLE public.own_meaning (
    kind text NOT NULL,
    code text NOT NULL,
    severity smallint,
    category text NOT NULL,
    outcome text NOT NULL,
    sentence text,
    next text,
    changed_by text NOT NULL,
    changed_us bigint NOT NULL,
    CONSTRAINT own_meaning_kind_check CHECK ((kind = ANY (ARRAY['windows'::text, 'snmp'::text, 'syslog'::text])))
);

CREATE TABLE public.own_severity (
    kind text NOT NULL,
    original text NOT NULL,
    severity smallint NOT NULL,
    changed_by text NOT NULL,
    changed_us bigint NOT NULL
);

CREATE TABLE public.person (
    id integer NOT NULL,
    name text NOT NULL,
    display text NOT NULL,
    role text NOT NULL,
    password_hash text NOT NULL,
    must_change boolean DEFAULT false NOT NULL,
    disabled boolean DEFAULT false NOT NULL,
    created_us bigint NOT NULL,
    session_epoch integer DEFAULT 1 NOT NULL,
    one_time_until_us bigint,
    CONSTRAINT person_role_check CHECK ((role = ANY (ARRAY['owner'::text, 'analyst'::text, 'reader'::text])))
);

CREATE SEQUENCE public.person_id_seq AS integer;
ALTER SEQUENCE public.person_id_seq OWNED BY public.person.id;

CREATE TABLE public.quarantined (
    file text NOT NULL,
    collector text NOT NULL,
    at_us bigint NOT NULL,
    what text NOT NULL,
    peer text NOT NULL,
    endpoint text NOT NULL,
    records integer NOT NULL,
    bytes bigint NOT NULL,
    reason text NOT NULL,
    state text DEFAULT 'kept'::text NOT NULL,
    CONSTRAINT quarantined_state_check CHECK ((state = ANY (ARRAY['kept'::text, 'again'::text, 'given up'::text, 'stored'::text]))),
    CONSTRAINT quarantined_what_check CHECK ((what = ANY (ARRAY['records'::text, 'spool'::text])))
);

CREATE TABLE public.raw_bytes (
    id bigint NOT NULL,
    raw bytea NOT NULL
);

CREATE TABLE public.request_seen (
    key bytea NOT NULL,
    at_us bigint NOT NULL
);

CREATE TABLE public.role_status (
    role text NOT NULL,
    pid integer NOT NULL,
    started_us bigint NOT NULL,
    heartbeat_us bigint NOT NULL,
    detail jsonb DEFAULT '{}'::jsonb NOT NULL
);

CREATE TABLE public.rollup_five_minutes (
    bucket integer NOT NULL,
    sender integer NOT NULL,
    kind smallint NOT NULL,
    severity smallint NOT NULL,
    count bigint NOT NULL
)
WITH (fillfactor='60');

CREATE TABLE public.rollup_hour (
    bucket integer NOT NULL,
    sender integer NOT NULL,
    kind smallint NOT NULL,
    severity smallint NOT NULL,
    count bigint NOT NULL
)
WITH (fillfactor='60');

CREATE TABLE public.rollup_minute (
    bucket integer NOT NULL,
    kind smallint NOT NULL,
    severity smallint NOT NULL,
    count bigint NOT NULL
)
WITH (fillfactor='60');

CREATE TABLE public.rule (
    id text NOT NULL,
    version integer NOT NULL,
    body jsonb NOT NULL,
    author text NOT NULL,
    changed_us bigint NOT NULL
);

CREATE TABLE public.rule_change (
    single boolean DEFAULT true NOT NULL,
    version bigint DEFAULT 1 NOT NULL,
    CONSTRAINT rule_change_single_check CHECK (single)
);

CREATE TABLE public.rule_failure (
    rule_id text NOT NULL,
    version integer NOT NULL,
    since_us bigint NOT NULL,
    last_us bigint NOT NULL,
    times integer DEFAULT 1 NOT NULL,
    reason text NOT NULL,
    stopped boolean NOT NULL
);

CREATE TABLE public.rule_state (
    rule_id text NOT NULL,
    near jsonb NOT NULL,
    forgot bigint NOT NULL,
    changed_us bigint NOT NULL,
    keys integer DEFAULT 0 NOT NULL,
    learning integer DEFAULT 0 NOT NULL
);

CREATE TABLE public.rule_version (
    id text NOT NULL,
    version integer NOT NULL,
    body jsonb NOT NULL,
    author text NOT NULL,
    changed_us bigint NOT NULL
);

CREATE TABLE public.saved_filter (
    id integer NOT NULL,
    name text NOT NULL,
    text text NOT NULL,
    owner text NOT NULL,
    shared boolean NOT NULL,
    changed_us bigint NOT NULL,
    CONSTRAINT saved_filter_name_check CHECK ((name <> ''::text))
);

CREATE SEQUENCE public.saved_filter_id_seq AS integer;
ALTER SEQUENCE public.saved_filter_id_seq OWNED BY public.saved_filter.id;

CREATE TABLE public.segment (
    name text NOT NULL,
    collector integer NOT NULL,
    kind text NOT NULL,
    state text DEFAULT 'open'::text NOT NULL,
    rows bigint DEFAULT 0 NOT NULL,
    min_time bigint,
    max_time bigint,
    min_id bigint,
    max_id bigint,
    created_us bigint NOT NULL,
    shape text DEFAULT 'record'::text NOT NULL,
    indexed_id bigint,
    indexed_rows bigint DEFAULT 0 NOT NULL,
    keep_days integer,
    job bigint,
    CONSTRAINT segment_keep_days_check CHECK ((keep_days > 0)),
    CONSTRAINT segment_kind_check CHECK ((kind = ANY (ARRAY['live'::text, 'late'::text, 'import'::text]))),
    CONSTRAINT segment_shape_check CHECK ((shape = ANY (ARRAY['record'::text, 'flow'::text]))),
    CONSTRAINT segment_state_check CHECK ((state = ANY (ARRAY['open'::text, 'closed'::text, 'sealed'::text])))
);

CREATE TABLE public.sender (
    id integer NOT NULL,
    name text NOT NULL,
    state text DEFAULT 'waiting'::text NOT NULL,
    relay boolean DEFAULT false NOT NULL,
    via_relay integer,
    relay_host text,
    site text,
    groups text[] DEFAULT '{}'::text[] NOT NULL,
    role text,
    zone text,
    reached_through integer,
    expected_every_seconds integer,
    notes text DEFAULT ''::text NOT NULL,
    first_seen_us bigint,
    keep_days integer,
    CONSTRAINT sender_check CHECK (((via_relay IS NULL) = (relay_host IS NULL))),
    CONSTRAINT sender_expected_every_seconds_check CHECK ((expected_every_seconds > 0)),
    CONSTRAINT sender_keep_days_check CHECK ((keep_days > 0)),
    CONSTRAINT sender_name_check CHECK ((name <> ''::text)),
    CONSTRAINT sender_state_check CHECK ((state = ANY (ARRAY['waiting'::text, 'admitted'::text, 'refused'::text])))
);

CREATE TABLE public.sender_activity (
    sender integer NOT NULL,
    last_heard_us bigint,
    records bigint DEFAULT 0 NOT NULL,
    bytes bigint DEFAULT 0 NOT NULL,
    problems bigint DEFAULT 0 NOT NULL,
    late bigint DEFAULT 0 NOT NULL,
    copies bigint DEFAULT 0 NOT NULL,
    capped bigint DEFAULT 0 NOT NULL,
    held bigint DEFAULT 0 NOT NULL,
    held_refused bigint DEFAULT 0 NOT NULL,
    clock_offset_us bigint DEFAULT 0 NOT NULL,
    cadence jsonb
);

CREATE TABLE public.sender_address (
    address inet NOT NULL,
    sender integer NOT NULL,
    "position" smallint DEFAULT 0 NOT NULL
);

CREATE SEQUENCE public.sender_id_seq AS integer;
ALTER SEQUENCE public.sender_id_seq OWNED BY public.sender.id;

CREATE TABLE public.sender_silence (
    sender integer NOT NULL,
    since_us bigint NOT NULL,
    told_us bigint NOT NULL
);

CREATE TABLE public.session (
    sid text NOT NULL,
    sess json NOT NULL,
    expire timestamp(6) with time zone NOT NULL
);

CREATE TABLE public.snmp_user (
    name text NOT NULL,
    auth_protocol text,
    auth_key bytea,
    priv_protocol text,
    priv_key bytea,
    sender integer
);

CREATE TABLE public.token (
    id integer NOT NULL,
    name text NOT NULL,
    hash text NOT NULL,
    scope text NOT NULL,
    created_us bigint NOT NULL,
    last_used_us bigint,
    revoked boolean DEFAULT false NOT NULL,
    expires_us bigint,
    CONSTRAINT token_scope_check CHECK ((scope = ANY (ARRAY['read'::text, 'act'::text, 'intake'::text])))
);

CREATE SEQUENCE public.token_id_seq AS integer;
ALTER SEQUENCE public.token_id_seq OWNED BY public.token.id;

CREATE TABLE public.undecodable (
    id bigint NOT NULL,
    endpoint text NOT NULL,
    at_us bigint NOT NULL,
    peer text NOT NULL,
    code text NOT NULL,
    message text NOT NULL,
    byte_offset integer NOT NULL,
    sample bytea NOT NULL
);

CREATE SEQUENCE public.undecodable_id_seq;
ALTER SEQUENCE public.undecodable_id_seq OWNED BY public.undecodable.id;

CREATE TABLE public.unnamed_oid (
    oid text NOT NULL,
    count bigint NOT NULL,
    last_us bigint NOT NULL,
    sender integer NOT NULL
);

CREATE TABLE segments.flow_template (
    id bigint NOT NULL,
    "time" bigint NOT NULL,
    received bigint NOT NULL,
    start bigint,
    bytes bigint,
    packets bigint,
    ingress bigint,
    egress bigint,
    src_as bigint,
    dst_as bigint,
    domain bigint,
    sequence bigint,
    reverse_bytes bigint,
    reverse_packets bigint,
    sender integer NOT NULL,
    src_port integer,
    dst_port integer,
    sampling integer,
    tcp_flags integer,
    icmp integer,
    vlan integer,
    clock_offset_ms integer,
    marks integer NOT NULL,
    protocol smallint,
    tos smallint,
    src_mask smallint,
    dst_mask smallint,
    direction smallint,
    outcome smallint NOT NULL,
    action smallint,
    time_reason smallint NOT NULL,
    src inet,
    dst inet,
    next_hop inet,
    endpoint text NOT NULL,
    application text,
    translated jsonb,
    data jsonb,
    problem jsonb
);

CREATE TABLE segments.template (
    id bigint NOT NULL,
    "time" bigint NOT NULL,
    received bigint NOT NULL,
    copy_of bigint,
    sender integer NOT NULL,
    src_port integer,
    dst_port integer,
    clock_offset_ms integer NOT NULL,
    marks integer NOT NULL,
    kind smallint NOT NULL,
    severity smallint NOT NULL,
    facility smallint,
    category smallint NOT NULL,
    outcome smallint NOT NULL,
    action smallint,
    time_reason smallint NOT NULL,
    protocol smallint,
    endpoint text NOT NULL,
    host text,
    app text,
    process text,
    event text,
    interface text,
    device_time text,
    original_severity text,
    bytes bigint,
    packets bigint,
    src inet,
    dst inet,
    other_addresses inet[],
    users text[],
    data jsonb,
    translated jsonb,
    problem jsonb,
    message text NOT NULL,
    head text NOT NULL,
    tail text NOT NULL
);

ALTER TABLE ONLY public.admitted_network ALTER COLUMN id SET DEFAULT nextval('public.admitted_network_id_seq'::regclass);
ALTER TABLE ONLY public.audit ALTER COLUMN id SET DEFAULT nextval('public.audit_id_seq'::regclass);
ALTER TABLE ONLY public.endpoint_config ALTER COLUMN id SET DEFAULT nextval('public.endpoint_config_id_seq'::regclass);
ALTER TABLE ONLY public.engine_close ALTER COLUMN id SET DEFAULT nextval('public.engine_close_id_seq'::regclass);
ALTER TABLE ONLY public.finding ALTER COLUMN id SET DEFAULT nextval('public.finding_id_seq'::regclass);
ALTER TABLE ONLY public.held_record ALTER COLUMN id SET DEFAULT nextval('public.held_record_id_seq'::regclass);
ALTER TABLE ONLY public.incident ALTER COLUMN id SET DEFAULT nextval('public.incident_id_seq'::regclass);
ALTER TABLE ONLY public.incident_event ALTER COLUMN id SET DEFAULT nextval('public.incident_event_id_seq'::regclass);
ALTER TABLE ONLY public.job ALTER COLUMN id SET DEFAULT nextval('public.job_id_seq'::regclass);
ALTER TABLE ONLY public.own_application ALTER COLUMN id SET DEFAULT nextval('public.own_application_id_seq'::regclass);
ALTER TABLE ONLY public.person ALTER COLUMN id SET DEFAULT nextval('public.person_id_seq'::regclass);
ALTER TABLE ONLY public.saved_filter ALTER COLUMN id SET DEFAULT nextval('public.saved_filter_id_seq'::regclass);
ALTER TABLE ONLY public.sender ALTER COLUMN id SET DEFAULT nextval('public.sender_id_seq'::regclass);
ALTER TABLE ONLY public.token ALTER COLUMN id SET DEFAULT nextval('public.token_id_seq'::regclass);
ALTER TABLE ONLY public.undecodable ALTER COLUMN id SET DEFAULT nextval('public.undecodable_id_seq'::regclass);
ALTER TABLE ONLY public.admitted_network ADD CONSTRAINT admitted_network_network_key UNIQUE (network);
ALTER TABLE ONLY public.admitted_network ADD CONSTRAINT admitted_network_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.audit ADD CONSTRAINT audit_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.batch ADD CONSTRAINT batch_pkey PRIMARY KEY (collector, number);
ALTER TABLE ONLY public.bulk_act ADD CONSTRAINT bulk_act_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.collector ADD CONSTRAINT collector_name_key UNIQUE (name);
ALTER TABLE ONLY public.collector ADD CONSTRAINT collector_pkey PRIMARY KEY (number);
ALTER TABLE ONLY public.delivery ADD CONSTRAINT delivery_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.directory_version ADD CONSTRAINT directory_version_pkey PRIMARY KEY (single);
ALTER TABLE ONLY public.dropped_segment ADD CONSTRAINT dropped_segment_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.endpoint_config ADD CONSTRAINT endpoint_config_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.endpoint ADD CONSTRAINT endpoint_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.engine_close ADD CONSTRAINT engine_close_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.engine_cursor ADD CONSTRAINT engine_cursor_pkey PRIMARY KEY (collector);
ALTER TABLE ONLY public.engine_lane ADD CONSTRAINT engine_lane_pkey PRIMARY KEY (lane);
ALTER TABLE ONLY public.finding ADD CONSTRAINT finding_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.flow_destination ADD CONSTRAINT flow_destination_pkey PRIMARY KEY (bucket, address);
ALTER TABLE ONLY public.flow_domain ADD CONSTRAINT flow_domain_pkey PRIMARY KEY (key);
ALTER TABLE ONLY public.flow_interface ADD CONSTRAINT flow_interface_pkey PRIMARY KEY (bucket, sender, ingress, egress);
ALTER TABLE ONLY public.flow_service ADD CONSTRAINT flow_service_pkey PRIMARY KEY (bucket, protocol, port);
ALTER TABLE ONLY public.flow_source ADD CONSTRAINT flow_source_pkey PRIMARY KEY (bucket, address);
ALTER TABLE ONLY public.held_record ADD CONSTRAINT held_record_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.imported_file ADD CONSTRAINT imported_file_pkey PRIMARY KEY (sha256);
ALTER TABLE ONLY public.incident_event ADD CONSTRAINT incident_event_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.incident ADD CONSTRAINT incident_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.incident_task ADD CONSTRAINT incident_task_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.index_directory ADD CONSTRAINT index_directory_pkey PRIMARY KEY (part, number);
ALTER TABLE ONLY public.index_part ADD CONSTRAINT index_part_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.index_terms ADD CONSTRAINT index_terms_pkey PRIMARY KEY (part, number);
ALTER TABLE ONLY public.interface_measure ADD CONSTRAINT interface_measure_pkey PRIMARY KEY (sender, interface, "time");
ALTER TABLE ONLY public.interface_name ADD CONSTRAINT interface_name_pkey PRIMARY KEY (exporter, index);
ALTER TABLE ONLY public.job ADD CONSTRAINT job_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.kind_change ADD CONSTRAINT kind_change_pkey PRIMARY KEY (single);
ALTER TABLE ONLY public.listening ADD CONSTRAINT listening_pkey PRIMARY KEY (from_us);
ALTER TABLE ONLY public.mib_module ADD CONSTRAINT mib_module_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.notices_read ADD CONSTRAINT notices_read_pkey PRIMARY KEY (person);
ALTER TABLE ONLY public.notify_route ADD CONSTRAINT notify_route_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.own_application ADD CONSTRAINT own_application_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.own_meaning ADD CONSTRAINT own_meaning_pkey PRIMARY KEY (kind, code);
ALTER TABLE ONLY public.own_severity ADD CONSTRAINT own_severity_pkey PRIMARY KEY (kind, original);
ALTER TABLE ONLY public.person ADD CONSTRAINT person_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.quarantined ADD CONSTRAINT quarantined_pkey PRIMARY KEY (file);
ALTER TABLE ONLY public.raw_bytes ADD CONSTRAINT raw_bytes_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.request_seen ADD CONSTRAINT request_seen_pkey PRIMARY KEY (key);
ALTER TABLE ONLY public.role_status ADD CONSTRAINT role_status_pkey PRIMARY KEY (role);
ALTER TABLE ONLY public.rollup_five_minutes ADD CONSTRAINT rollup_five_minutes_pkey PRIMARY KEY (bucket, sender, kind, severity);
ALTER TABLE ONLY public.rollup_hour ADD CONSTRAINT rollup_hour_pkey PRIMARY KEY (bucket, sender, kind, severity);
ALTER TABLE ONLY public.rollup_minute ADD CONSTRAINT rollup_minute_pkey PRIMARY KEY (bucket, kind, severity);
ALTER TABLE ONLY public.rule_change ADD CONSTRAINT rule_change_pkey PRIMARY KEY (single);
ALTER TABLE ONLY public.rule_failure ADD CONSTRAINT rule_failure_pkey PRIMARY KEY (rule_id);
ALTER TABLE ONLY public.rule ADD CONSTRAINT rule_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.rule_state ADD CONSTRAINT rule_state_pkey PRIMARY KEY (rule_id);
ALTER TABLE ONLY public.rule_version ADD CONSTRAINT rule_version_pkey PRIMARY KEY (id, version);
ALTER TABLE ONLY public.saved_filter ADD CONSTRAINT saved_filter_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.segment ADD CONSTRAINT segment_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.sender_activity ADD CONSTRAINT sender_activity_pkey PRIMARY KEY (sender);
ALTER TABLE ONLY public.sender_address ADD CONSTRAINT sender_address_pkey PRIMARY KEY (address);
ALTER TABLE ONLY public.sender ADD CONSTRAINT sender_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.sender_silence ADD CONSTRAINT sender_silence_pkey PRIMARY KEY (sender);
ALTER TABLE ONLY public.session ADD CONSTRAINT session_pkey PRIMARY KEY (sid);
ALTER TABLE ONLY public.snmp_user ADD CONSTRAINT snmp_user_pkey PRIMARY KEY (name);
ALTER TABLE ONLY public.token ADD CONSTRAINT token_hash_key UNIQUE (hash);
ALTER TABLE ONLY public.token ADD CONSTRAINT token_name_key UNIQUE (name);
ALTER TABLE ONLY public.token ADD CONSTRAINT token_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.undecodable ADD CONSTRAINT undecodable_pkey PRIMARY KEY (id);
ALTER TABLE ONLY public.unnamed_oid ADD CONSTRAINT unnamed_oid_pkey PRIMARY KEY (oid);
CREATE INDEX audit_at_us_idx ON public.audit USING btree (at_us);
CREATE INDEX delivery_due_us_idx ON public.delivery USING btree (due_us) WHERE (state = 'waiting'::text);
CREATE INDEX delivery_route_ended_us_idx ON public.delivery USING btree (route, ended_us) WHERE (state = 'sent'::text);
CREATE UNIQUE INDEX delivery_route_event_idx ON public.delivery USING btree (route, event) WHERE (event IS NOT NULL);
CREATE INDEX delivery_route_incident_idx ON public.delivery USING btree (route, incident);
CREATE UNIQUE INDEX endpoint_config_name ON public.endpoint_config USING btree (lower((name COLLATE "C")));
CREATE UNIQUE INDEX engine_state_key ON public.engine_state USING btree (rule_id, lane, public.key_hash(key), logic);
CREATE INDEX finding_incident_idx ON public.finding USING btree (incident);
CREATE INDEX finding_rule_id_key_hash_id_idx ON public.finding USING btree (rule_id, public.key_hash(key), id);
CREATE INDEX held_record_sender_id_idx ON public.held_record USING btree (sender, id);
CREATE INDEX incident_event_id_idx ON public.incident_event USING btree (id) WHERE (NOT noted);
CREATE INDEX incident_event_incident_id_idx ON public.incident_event USING btree (incident, id);
CREATE INDEX incident_rule_id_key_hash_id_idx ON public.incident USING btree (rule_id, public.key_hash(key), id);
CREATE INDEX incident_state_last_us_idx ON public.incident USING btree (state, last_us);
CREATE INDEX incident_task_incident_idx ON public.incident_task USING btree (incident);
CREATE INDEX index_part_segment_idx ON public.index_part USING btree (segment);
CREATE UNIQUE INDEX person_alike ON public.person USING btree (lower(NORMALIZE(name)));
CREATE INDEX request_seen_at_us_idx ON public.request_seen USING btree (at_us);
CREATE UNIQUE INDEX saved_filter_name ON public.saved_filter USING btree (lower((name COLLATE "C")));
CREATE INDEX sender_address_sender_idx ON public.sender_address USING btree (sender);
CREATE UNIQUE INDEX sender_name ON public.sender USING btree (lower((name COLLATE "C")));
CREATE UNIQUE INDEX sender_via_relay ON public.sender USING btree (via_relay, lower((relay_host COLLATE "C"))) WHERE (via_relay IS NOT NULL);
CREATE INDEX session_expire_idx ON public.session USING btree (expire);
CREATE INDEX undecodable_endpoint_id_idx ON public.undecodable USING btree (endpoint, id);
CREATE UNIQUE INDEX flow_template_id_idx ON segments.flow_template USING btree (id);
CREATE INDEX flow_template_time_id_idx ON segments.flow_template USING btree ("time", id);
CREATE UNIQUE INDEX template_id_idx ON segments.template USING btree (id);
CREATE INDEX template_kind_time_id_idx ON segments.template USING btree (kind, "time", id) WHERE (kind <> 0);
CREATE INDEX template_sender_time_id_idx ON segments.template USING btree (sender, "time", id);
CREATE INDEX template_src_time_id_idx ON segments.template USING btree (src, "time", id) WHERE (src IS NOT NULL);
CREATE INDEX template_time_id_idx ON segments.template USING btree ("time", id);
CREATE INDEX template_time_id_idx1 ON segments.template USING btree ("time", id) WHERE (severity <= 3);
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.admitted_network FOR EACH STATEMENT EXECUTE FUNCTION public.bump_directory();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.endpoint_config FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.mib_module FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.own_application FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.own_meaning FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.own_severity FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.rule FOR EACH STATEMENT EXECUTE FUNCTION public.bump_rules();
CREATE TRIGGER bump AFTER DELETE ON public.rule_failure FOR EACH STATEMENT EXECUTE FUNCTION public.bump_rules();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.sender FOR EACH STATEMENT EXECUTE FUNCTION public.bump_directory();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.sender_address FOR EACH STATEMENT EXECUTE FUNCTION public.bump_directory();
CREATE TRIGGER bump AFTER INSERT OR DELETE OR UPDATE ON public.snmp_user FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
CREATE TRIGGER bump_kinds AFTER INSERT OR DELETE OR UPDATE ON public.sender_address FOR EACH STATEMENT EXECUTE FUNCTION public.bump_kinds();
ALTER TABLE ONLY public.batch ADD CONSTRAINT batch_collector_fkey FOREIGN KEY (collector) REFERENCES public.collector(number);
ALTER TABLE ONLY public.finding ADD CONSTRAINT finding_incident_fkey FOREIGN KEY (incident) REFERENCES public.incident(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.finding ADD CONSTRAINT finding_merged_into_fkey FOREIGN KEY (merged_into) REFERENCES public.finding(id);
ALTER TABLE ONLY public.held_record ADD CONSTRAINT held_record_sender_fkey FOREIGN KEY (sender) REFERENCES public.sender(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.incident_event ADD CONSTRAINT incident_event_incident_fkey FOREIGN KEY (incident) REFERENCES public.incident(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.incident ADD CONSTRAINT incident_linked_to_fkey FOREIGN KEY (linked_to) REFERENCES public.incident(id);
ALTER TABLE ONLY public.incident ADD CONSTRAINT incident_merged_into_fkey FOREIGN KEY (merged_into) REFERENCES public.incident(id);
ALTER TABLE ONLY public.incident_task ADD CONSTRAINT incident_task_incident_fkey FOREIGN KEY (incident) REFERENCES public.incident(id);
ALTER TABLE ONLY public.index_directory ADD CONSTRAINT index_directory_part_fkey FOREIGN KEY (part) REFERENCES public.index_part(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.index_part ADD CONSTRAINT index_part_segment_fkey FOREIGN KEY (segment) REFERENCES public.segment(name) ON DELETE CASCADE;
ALTER TABLE ONLY public.index_terms ADD CONSTRAINT index_terms_part_fkey FOREIGN KEY (part) REFERENCES public.index_part(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.sender_address ADD CONSTRAINT sender_address_sender_fkey FOREIGN KEY (sender) REFERENCES public.sender(id) ON DELETE CASCADE;
ALTER TABLE ONLY public.sender ADD CONSTRAINT sender_reached_through_fkey FOREIGN KEY (reached_through) REFERENCES public.sender(id) ON DELETE SET NULL;
ALTER TABLE ONLY public.sender ADD CONSTRAINT sender_via_relay_fkey FOREIGN KEY (via_relay) REFERENCES public.sender(id) ON DELETE CASCADE;

ALTER TABLE ONLY public.snmp_user ADD CONSTRAINT snmp_user_sender_fkey FOREIGN KEY (sender) REFERENCES public.sender(id) ON DELETE CASCADE;

INSERT INTO public.directory_version (version) VALUES (1);
INSERT INTO public.kind_change (version) VALUES (1);
INSERT INTO public.rule_change (version) VALUES (1);
`;
