-- The rulebook as the text that people wrote, one row for each version; the one in force has no end.
create table rulebook (
  number integer primary key,
  text text not null,
  reason text not null,
  ticket text not null,
  saved_by text not null,
  valid_from timestamptz not null,
  valid_until timestamptz
);
create unique index rulebook_in_force on rulebook ((true)) where valid_until is null;

-- what speaks against a key's numbers
create table key_weakness (
  id uuid primary key,
  key_id uuid not null references key_record,
  kind text not null
    check (kind in
      ('SHARED_FACTOR', 'CLOSE_FACTORS', 'NOT_A_PRODUCT', 'PATTERNED', 'COMPROMISED')),
  detail text not null,
  found_at timestamptz not null,
  unique (key_id, kind, detail)
);

-- lists of compromised keys that an administrator loaded
create table compromised_list (
  id uuid primary key,
  name text not null,
  entries bigint not null,
  loaded_at timestamptz not null,
  valid_until timestamptz
);
create unique index compromised_list_live on compromised_list (name) where valid_until is null;
create table compromised_key (
  list_id uuid not null references compromised_list,
  digest text not null,
  primary key (digest, list_id)
);

create index key_rsa on key_record (id) where type = 'ssh-rsa';
create index key_fingerprint on key_record (fingerprint);
create index key_md5 on key_record (md5);

-- limits of a placement, and the form that a destination takes keys in
alter table placement
  add sources jsonb not null default '[]',
  add ends_at timestamptz;
alter table destination
  add takes text not null default 'authorized-keys';
