-- Times are instants by this database's clock. What people may ask about later ("who could sign in
-- on 1 March?") is never overwritten: rows carry valid_from and valid_until.

create table identity (
  id uuid primary key,
  kind text not null check (kind in ('person', 'service_account')),
  name text not null,
  team text not null,
  responsible text not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index identity_live_name on identity (name) where valid_until is null;

create table key_record (
  id uuid primary key,
  fingerprint text not null,
  md5 text not null,
  type text not null,
  bits integer not null,
  application text,
  blob bytea not null,
  comment text not null,
  identity_id uuid references identity,
  custody text not null check (custody in ('machine', 'device', 'coffer', 'module', 'elsewhere')),
  made_at timestamptz not null,
  registered_at timestamptz not null,
  ended_at timestamptz,
  ended_because text,
  check ((ended_at is null) = (ended_because is null))
);
create unique index key_live_fingerprint on key_record (fingerprint) where ended_at is null;
create index key_identity on key_record (identity_id);

create table destination (
  id uuid primary key,
  name text not null,
  family text not null check (family in ('sftp_server')),
  host text not null,
  port integer not null check (port between 1 and 65535),
  management_login text,
  keys_path text not null,
  log_path text,
  propagation_seconds bigint not null check (propagation_seconds >= 0),
  connection_key bytea not null,
  stopped_because text,
  valid_from timestamptz not null,
  valid_until timestamptz,
  version integer not null
);
create unique index destination_live_name on destination (name) where valid_until is null;

create table host_key (
  id uuid primary key,
  destination_id uuid not null references destination,
  fingerprint text not null,
  blob bytea not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index host_key_live on host_key (destination_id, fingerprint) where valid_until is null;

create table account (
  id uuid primary key,
  destination_id uuid not null references destination,
  login text not null,
  sign_in_mode text not null check (sign_in_mode in ('password', 'key', 'either', 'both')),
  holds integer not null check (holds >= 1),
  registered jsonb not null,
  read_at timestamptz,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index account_live_login on account (destination_id, login) where valid_until is null;

create table integration (
  id uuid primary key,
  name text not null,
  owner text not null,
  importance text not null check (importance in ('low', 'normal', 'high')),
  environment text not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index integration_live_name on integration (name) where valid_until is null;

create table seat (
  id uuid primary key,
  integration_id uuid not null references integration,
  destination_id uuid not null references destination,
  login text not null,
  path text not null,
  address text not null,
  offers jsonb not null,
  keeps jsonb not null,
  ever_offered jsonb not null,
  read_at timestamptz,
  offers_since timestamptz not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index seat_live_path on seat (destination_id, path) where valid_until is null;

create table tie (
  id uuid primary key,
  seat_id uuid not null references seat,
  account_id uuid not null references account,
  rhythm_seconds bigint not null check (rhythm_seconds > 0),
  longest_run_seconds bigint not null check (longest_run_seconds >= 0),
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index tie_live on tie (seat_id, account_id) where valid_until is null;

create table rotation (
  id uuid primary key,
  old_key_id uuid not null references key_record,
  new_key_id uuid references key_record,
  aim text not null check (aim in ('HOLD', 'FORWARD', 'BACK', 'STOPPED')),
  stage text not null,
  watch_seconds bigint not null check (watch_seconds >= 0),
  reason text not null,
  ticket text not null,
  by_itself boolean not null,
  planned_at timestamptz not null,
  started_at timestamptz,
  ended_at timestamptz,
  outcome text check (outcome in ('done', 'put back', 'stopped')),
  waiting_for text,
  needs_person boolean not null,
  question text,
  approved jsonb not null,
  accepted jsonb not null,
  next_look_at timestamptz not null,
  woken_at timestamptz not null,
  lease_owner text,
  lease_until timestamptz,
  check ((ended_at is null) = (outcome is null))
);
create unique index rotation_live on rotation (old_key_id) where ended_at is null;
create index rotation_next on rotation (next_look_at) where ended_at is null;

create table placement (
  id uuid primary key,
  key_id uuid not null references key_record,
  account_id uuid not null references account,
  rotation_id uuid references rotation,
  state text not null
    check (state in ('wanted', 'placed', 'proven', 'withdrawing', 'withdrawn')),
  reason text,
  title text not null,
  purpose text not null check (purpose in ('sign-in', 'signing')),
  mark text not null,
  line text not null,
  wanted_at timestamptz not null,
  placed_at timestamptz,
  proven_at timestamptz,
  withdrawn_at timestamptz,
  next_look_at timestamptz not null,
  lease_until timestamptz,
  -- a placement is withdrawn exactly when its withdrawal is on record
  check ((state = 'withdrawn') = (withdrawn_at is not null)),
  check (state in ('wanted', 'withdrawn') or placed_at is not null)
);
create unique index placement_live on placement (key_id, account_id) where state <> 'withdrawn';
create index placement_account on placement (account_id);

create table attempt (
  id uuid primary key,
  rotation_id uuid references rotation,
  placement_id uuid references placement,
  effect text not null,
  account_id uuid references account,
  seat_id uuid references seat,
  intent text not null,
  state_before jsonb not null,
  worker text not null,
  lease_until timestamptz not null,
  started_at timestamptz not null,
  ended_at timestamptz,
  outcome text not null check (outcome in ('RUNNING', 'DONE', 'FAILED', 'UNKNOWN')),
  reason text not null
);
create index attempt_rotation on attempt (rotation_id, started_at);
create index attempt_placement on attempt (placement_id, started_at);

-- what an attempt reserves: one account or one seat, for one attempt at a time
create table reservation (
  resource uuid primary key,
  attempt_id uuid not null,
  lease_until timestamptz not null
);

create table trial (
  id uuid primary key,
  account_id uuid not null references account,
  key_id uuid not null references key_record,
  made_at timestamptz not null,
  accepted boolean not null,
  answer text not null,
  local_port integer not null,
  seen_at timestamptz
);
create index trial_account on trial (account_id, key_id, made_at);

create table use_seen (
  id uuid primary key,
  account_id uuid not null references account,
  fingerprint text not null,
  address text not null,
  first_at timestamptz not null,
  earliest timestamptz not null,
  latest timestamptz not null,
  count bigint not null,
  unique (account_id, fingerprint, address)
);

create table feed (
  destination_id uuid primary key references destination,
  log_offset bigint not null,
  head text not null,
  read_to timestamptz,
  unbroken_since timestamptz,
  failure text,
  next_read_at timestamptz not null,
  lease_until timestamptz
);

create table cadence_rule (
  id uuid primary key,
  number integer not null,
  name text not null,
  identity_kind text check (identity_kind in ('person', 'service_account')),
  identity_id uuid references identity,
  every_seconds bigint not null,
  lead_seconds bigint not null,
  watch_seconds bigint not null,
  valid_from timestamptz not null,
  valid_until timestamptz,
  check (lead_seconds < every_seconds)
);
create unique index cadence_rule_live on cadence_rule (number) where valid_until is null;

create table freeze_span (
  id uuid primary key,
  from_at timestamptz not null,
  until_at timestamptz not null,
  reason text not null,
  valid_from timestamptz not null,
  valid_until timestamptz,
  check (from_at < until_at)
);

-- the coffer: only ciphertexts, each bound to its purpose and its subject
create table coffer_entry (
  id uuid primary key,
  purpose text not null,
  subject_id uuid not null,
  ciphertext bytea,
  created_at timestamptz not null,
  destroyed_at timestamptz,
  unique (purpose, subject_id),
  check ((ciphertext is null) = (destroyed_at is not null))
);

-- text about people stands beside the journal, so that it can be erased without breaking the chain
create table journal_person (
  ref text primary key,
  salt bytea not null,
  name text
);
create table journal_entry (
  id uuid primary key,
  at timestamptz not null,
  actor text not null references journal_person,
  deed text not null,
  subject uuid,
  text text not null,
  data text not null,
  number bigint unique,
  link bytea,
  signature bytea,
  -- every sealed entry has its link; the last one of each batch has the signature over it
  check ((number is null) = (link is null)),
  check (signature is null or link is not null)
);
create index journal_subject on journal_entry (subject);
create index journal_unsealed on journal_entry (at) where number is null;

create table outbox (
  number bigint generated always as identity primary key,
  at timestamptz not null,
  topic text not null,
  subject uuid,
  text text not null
);

create table user_account (
  id uuid primary key,
  login text not null unique,
  name text not null,
  role text not null check (role in ('administrator')),
  password_hash text not null,
  failures integer not null,
  locked_until timestamptz,
  created_at timestamptz not null
);
create table sign_in_session (
  id uuid primary key,
  user_id uuid not null references user_account,
  token_hash text not null unique,
  csrf text not null,
  created_at timestamptz not null,
  expires_at timestamptz not null
);
create table api_token (
  id uuid primary key,
  user_id uuid not null references user_account,
  name text not null,
  token_hash text not null unique,
  created_at timestamptz not null,
  expires_at timestamptz not null,
  revoked_at timestamptz
);
create table idempotency (
  id uuid primary key,
  user_login text not null,
  request_key text not null,
  request text not null,
  status integer,
  response text,
  created_at timestamptz not null,
  unique (user_login, request_key)
);

-- append-only means append-only: an entry may be sealed once and is never changed or removed
create function journal_is_append_only() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' then
    raise exception 'journal entries are never removed';
  end if;
  if old.number is not null
    or (new.id, new.at, new.actor, new.deed, new.text, new.data)
      is distinct from (old.id, old.at, old.actor, old.deed, old.text, old.data)
    or new.subject is distinct from old.subject then
    raise exception 'journal entries are never changed';
  end if;
  return new;
end $$;
create trigger journal_append_only before update or delete on journal_entry
  for each row execute function journal_is_append_only();
