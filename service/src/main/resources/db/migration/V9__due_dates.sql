-- When a live key is due and why, worked out again when a rule, the key or its holder changes: due_by says by which
-- rulebook and time zone it was, and is null while it has to be worked out.
alter table key_record
  add due_at timestamptz,
  add due_start_at timestamptz,
  add due_reason text,
  add due_by text;
create index key_due on key_record (due_start_at) where ended_at is null and due_start_at is not null;
create index key_due_unknown on key_record (due_by) where ended_at is null;

create function due_is_unknown() returns trigger language plpgsql as $$
begin
  if new.identity_id is distinct from old.identity_id or new.made_at is distinct from old.made_at then
    new.due_by := null;
  end if;
  return new;
end $$;
create trigger key_due_changes before update on key_record
  for each row execute function due_is_unknown();

create function dues_are_unknown() returns trigger language plpgsql as $$
begin
  update key_record set due_by = null where identity_id = new.id and ended_at is null;
  return new;
end $$;
create trigger identity_due_changes after update on identity
  for each row execute function dues_are_unknown();

-- parts of words are found without reading the whole table
create extension if not exists pg_trgm;
create index key_words on key_record using gin (lower(comment || ' ' || type) gin_trgm_ops);
create index key_prints on key_record using gin ((fingerprint || ' ' || md5) gin_trgm_ops);
create index identity_words on identity using gin (lower(name || ' ' || team) gin_trgm_ops);
create index use_of_key on use_seen (fingerprint, latest);
