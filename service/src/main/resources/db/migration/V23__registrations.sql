-- many keys placed with one decision
create table registration (
  id uuid primary key,
  state text not null check (state in ('TESTING', 'RUNNING', 'STOPPED', 'DONE', 'CANCELLED')),
  at_once int not null check (at_once > 0),
  -- whether all may be begun: one was seen to work, or a person said so
  tested boolean not null,
  reason text not null,
  ticket text not null,
  begun_by text not null,
  begun_at timestamptz not null,
  ended_at timestamptz,
  check ((state in ('DONE', 'CANCELLED')) = (ended_at is not null))
);
create table registration_line (
  id uuid primary key,
  registration_id uuid not null references registration,
  number int not null,
  key_id uuid not null references key_record,
  account_id uuid not null references account,
  destination_id uuid not null references destination,
  by_hand boolean not null,
  state text not null check (state in ('WAITING', 'ON_ITS_WAY', 'DONE', 'THERE_ALREADY', 'ASKED', 'REFUSED', 'FAILED',
    'CANCELLED')),
  reason text,
  placement_id uuid references placement,
  title text not null,
  purpose text not null,
  access text not null,
  sources jsonb not null,
  ends_at timestamptz,
  options jsonb not null,
  changed_at timestamptz not null,
  unique (registration_id, number)
);
create index registration_line_open on registration_line (registration_id, state);
create index registration_open on registration (id) where ended_at is null;
