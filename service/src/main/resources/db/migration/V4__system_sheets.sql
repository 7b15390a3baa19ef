-- The system sheets as the texts that people wrote, one row for each version.
create table system_sheet (
  id uuid primary key,
  system text not null,
  family text not null,
  text text not null,
  reason text not null,
  saved_by text not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index system_sheet_live on system_sheet (system) where valid_until is null;

-- destinations that a sheet describes have no files of keys; their secrets are in the coffer
alter table destination drop constraint destination_family_check;
alter table destination drop constraint destination_port_check;
alter table destination alter connection_key drop not null;
alter table destination
  add check (family in ('sftp_server', 'code_host', 'warehouse', 'build_system')),
  add check (port between 0 and 65535),
  add sheet_id uuid references system_sheet,
  add address text not null default '',
  add settings jsonb not null default '{}',
  add connect_user text not null default '',
  add secret_ends_at timestamptz,
  add tried_at timestamptz,
  add health jsonb,
  add health_next_at timestamptz not null default now(),
  add health_lease_until timestamptz,
  add check ((sheet_id is null) = (connection_key is not null));

-- a host key is accepted until a date once its successor was announced
alter table host_key
  add accepted_until timestamptz,
  add announced_at timestamptz;

-- what was looked at and compared by nobody yet; never trusted
create table host_key_seen (
  id uuid primary key,
  destination_id uuid not null references destination,
  fingerprint text not null,
  blob bytea not null,
  first_seen_at timestamptz not null,
  seen_at timestamptz not null,
  unique (destination_id, fingerprint)
);

-- lines that clients' files of known hosts are to get
create table known_host_supply (
  id uuid primary key,
  destination_id uuid not null references destination,
  seat_id uuid not null references seat,
  line text not null,
  wanted_at timestamptz not null,
  done_at timestamptz,
  reason text,
  next_try_at timestamptz,
  unique (seat_id, line)
);

alter table account add kind text not null default '';
alter table placement
  add access text not null default 'write' check (access in ('read', 'write')),
  add reference text not null default '';
alter table trial drop constraint trial_way_check;
alter table trial add check (way in ('ssh', 'sftp', 'git', 'assertion'));

-- a seat may be an entry of a credential store
alter table seat
  add kind text not null default '',
  add tries_itself boolean not null default false,
  add keeps_former boolean not null default true;
create table seat_trial (
  id uuid primary key,
  tie_id uuid not null references tie,
  fingerprint text not null,
  made_at timestamptz not null,
  accepted boolean not null,
  log text not null
);
create index seat_trial_tie on seat_trial (tie_id, made_at);
