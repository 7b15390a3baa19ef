-- People besides the administrator: each sees and proves what belongs to their identity.
alter table user_account drop constraint user_account_role_check;
alter table user_account
  add identity_id uuid references identity,
  add check (role in ('administrator', 'self')),
  add check (role = 'administrator' or identity_id is not null);

-- an account that belongs to one person
alter table account add identity_id uuid references identity;

-- what somebody was asked to sign; each is good for one proof
create table challenge (
  id uuid primary key,
  purpose text not null check (purpose in ('POSSESSION', 'SIGN_IN')),
  identity_id uuid not null references identity,
  identity text not null,
  about text not null,
  nonce text not null,
  text text not null,
  issued_at timestamptz not null,
  expires_at timestamptz not null,
  used_at timestamptz
);
create index challenge_issued on challenge (issued_at);

-- what was proven of a key when it came, or later
create table key_proof (
  id uuid primary key,
  key_id uuid not null references key_record,
  kind text not null check (kind in ('possession', 'hardware')),
  at timestamptz not null,
  challenge_id uuid not null references challenge,
  algorithm text not null,
  passphrase boolean not null default false,
  touched boolean,
  verified boolean,
  origin text,
  model uuid,
  maker text,
  note text
);
create index key_proof_key on key_proof (key_id);

-- the last counter that a security key showed; one that goes back shows two devices with one key
create table key_counter (
  key_id uuid primary key references key_record,
  counter bigint not null,
  seen_at timestamptz not null,
  went_back_at timestamptz,
  went_back_to bigint
);

-- makers of security keys whose attestations are believed
create table maker (
  id uuid primary key,
  name text not null,
  fingerprint text not null,
  certificate bytea not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index maker_live on maker (fingerprint) where valid_until is null;

-- a private half leaves the coffer towards its owner once
create table key_download (
  key_id uuid primary key references key_record,
  at timestamptz not null,
  by_login text not null,
  form text not null
);

-- trials of every way, by Tolvin or by a holder on their own machine, with what explains them
alter table trial alter key_id drop not null;
alter table trial
  add made_by text not null default 'tolvin' check (made_by in ('tolvin', 'holder')),
  add way text not null default 'ssh' check (way in ('ssh', 'sftp', 'git')),
  add state text not null default 'seen' check (state in ('begun', 'seen')),
  add log_from bigint not null default 0,
  add challenge_id uuid references challenge,
  add signed boolean not null default false,
  add explanation jsonb;

-- a seat may lie on a machine that Tolvin does not reach
alter table seat alter destination_id drop not null;
alter table seat
  add machine text,
  add found jsonb,
  add check ((destination_id is null) = (machine is not null));
create unique index seat_live_machine on seat (machine, path) where valid_until is null;
