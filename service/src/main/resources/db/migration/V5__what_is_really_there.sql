-- key repositories, directories and partners; servers behind a jump host
alter table destination drop constraint destination_family_check;
alter table destination drop constraint destination_check;
alter table destination
  add constraint destination_family_check check (family in
    ('sftp_server', 'code_host', 'warehouse', 'build_system', 'key_repository', 'directory',
     'partner')),
  add check (sheet_id is null or connection_key is null),
  -- the jump host that it is reached through, and Tolvin's login there
  add route_id uuid references destination,
  add route_login text,
  add check ((route_id is null) = (route_login is null)),
  -- where its accounts sign in, if that is another destination
  add signs_in_at_id uuid references destination,
  -- how many accounts a sweep reads there in a second, at most
  add reads_per_second integer not null default 20 check (reads_per_second between 1 and 1000),
  -- the server's configuration, so that other doors are seen; where the sign-in mode is written
  add config_path text,
  add mode_path text,
  add reload_command text;

-- who else writes there; a file that another source rewrites is left to it
alter table account
  add kept_by text not null default 'us' check (kept_by in ('us', 'shared', 'source')),
  add kept_source text not null default '',
  add check ((kept_by = 'source') = (kept_source <> '')),
  add mode_seen text check (mode_seen in ('password', 'key', 'either', 'both')),
  add mode_seen_at timestamptz;

-- options of a line beside addresses and end, such as a forced command
alter table placement
  add options jsonb not null default '[]',
  -- when a written file is to be read again, since somebody else's write may have lost a line
  add look_again_at timestamptz;

-- how a new private half takes effect in a seat
alter table seat
  add takes_effect text not null default 'next_sign_in'
    check (takes_effect in ('next_sign_in', 'reload', 'restart', 'agent', 'by_hand')),
  add effect_command text not null default '',
  add more_paths jsonb not null default '[]',
  add falls_back boolean,
  add falls_back_said_at timestamptz,
  add effect_at timestamptz,
  add effect_failure text;

-- sign-in lines that were counted, one row for each hour: sorted 64-bit digests of the lines, so
-- that a rotated or replayed log counts once
create table feed_hour (
  destination_id uuid not null references destination,
  hour timestamptz not null,
  digests bytea not null,
  primary key (destination_id, hour)
);
-- what was seen of connections beside that a key was used
alter table use_seen
  add longest_gap_seconds bigint not null default 0,
  add longest_run_seconds bigint not null default 0,
  add fell_back_at timestamptz;
-- connections that were signed in and whose end was not told yet
create table open_connection (
  destination_id uuid not null references destination,
  address text not null,
  port integer not null,
  login text not null,
  fingerprint text not null,
  at timestamptz not null,
  primary key (destination_id, address, port)
);
-- uses on accounts that nobody knew
create table use_elsewhere (
  id uuid primary key,
  destination_id uuid not null references destination,
  login text not null,
  fingerprint text not null,
  address text not null,
  first_at timestamptz not null,
  latest timestamptz not null,
  count bigint not null,
  unique (destination_id, login, fingerprint, address)
);

-- a sweep reads the accounts of a destination, or of all; what was read is not read again when it
-- is resumed
create table sweep (
  id uuid primary key,
  destination_id uuid references destination,
  state text not null check (state in ('running', 'done', 'stopped')),
  started_by text not null,
  started_at timestamptz not null,
  ended_at timestamptz,
  check ((state = 'running') = (ended_at is null))
);
create unique index sweep_running on sweep (coalesce(destination_id, id)) where state = 'running';
create table sweep_account (
  sweep_id uuid not null references sweep,
  account_id uuid not null references account,
  destination_id uuid not null references destination,
  state text not null check (state in ('due', 'read', 'failed')),
  reason text,
  at timestamptz,
  lease_until timestamptz,
  primary key (sweep_id, account_id)
);
create index sweep_account_due on sweep_account (sweep_id, destination_id) where state = 'due';

-- from when on accounts of a destination may be read again, whichever instance reads
create table reading_turn (
  destination_id uuid primary key references destination,
  free_from timestamptz not null
);

-- what differs from what should be there; one open row for each matter
create table finding (
  id uuid primary key,
  destination_id uuid not null references destination,
  account_id uuid references account,
  kind text not null,
  subject text not null,
  fingerprint text,
  severity text not null check (severity in ('broken', 'serious', 'untidy')),
  sentence text not null,
  evidence text not null,
  way_out text not null,
  first_seen_at timestamptz not null,
  seen_at timestamptz not null,
  came_back integer not null default 0,
  accepted_until timestamptz,
  accepted_because text,
  settled_at timestamptz,
  settled_by text,
  settled_because text,
  check ((settled_at is null) = (settled_by is null)),
  check ((accepted_until is null) = (accepted_because is null))
);
create unique index finding_open on finding
  (destination_id, coalesce(account_id, destination_id), kind, subject) where settled_at is null;
create index finding_account on finding (account_id);

-- what a person elsewhere has to do for us, and what they answered; the link is kept as a hash
create table hand_over (
  id uuid primary key,
  kind text not null check (kind in ('register', 'take_out', 'supply', 'their_key')),
  state text not null check (state in ('open', 'replied', 'confirmed', 'given_up')),
  destination_id uuid not null references destination,
  account_id uuid references account,
  seat_id uuid references seat,
  key_id uuid references key_record,
  placement_id uuid references placement,
  to_whom text not null,
  contact text not null,
  form text not null,
  due_at timestamptz not null,
  made_at timestamptz not null,
  link_hash text not null unique,
  link_ends_at timestamptz not null,
  link_used_at timestamptz,
  reply text,
  reply_name text,
  reply_key text,
  reply_fingerprint text,
  replied_at timestamptz,
  next_reminder_at timestamptz,
  reminders integer not null default 0,
  next_trial_at timestamptz,
  last_trial text,
  confirmed_at timestamptz,
  ended_because text
);
create unique index hand_over_open on hand_over
  (kind, coalesce(account_id, seat_id, destination_id), coalesce(key_id, id))
  where state in ('open', 'replied');
