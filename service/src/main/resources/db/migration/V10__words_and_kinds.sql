-- Closed sets are written like the constants of their enumerations, and things have the names that people use.

-- The checks that name the former words go; new ones are added below.
do $$
declare c record;
begin
  for c in
    select conrelid::regclass as owner, conname, pg_get_constraintdef(oid) as says from pg_constraint
    where contype = 'c' and connamespace = current_schema()::regnamespace
      and conrelid::regclass::text in ('identity', 'key_record', 'destination', 'account', 'integration', 'rotation',
        'placement', 'attempt', 'key_proof', 'challenge', 'trial', 'seat', 'sweep', 'finding', 'hand_over')
  loop
    if c.says ~ $re$'[A-Za-z_ -]+'::text$re$ then
      execute format('alter table %s drop constraint %I', c.owner, c.conname);
    end if;
  end loop;
end $$;

update identity set kind = upper(kind);
update key_record set custody = upper(custody);
update system_sheet set family = upper(family);
update destination set family = upper(family);
alter table destination rename tried_at to tested_at;

alter table account rename kept_by to managed_by;
alter table account rename kept_source to other_source;
update account set sign_in_mode = upper(sign_in_mode), mode_seen = upper(mode_seen),
  managed_by = case managed_by when 'us' then 'TOLVIN' when 'source' then 'ANOTHER_SOURCE' else upper(managed_by) end;
alter table account alter managed_by set default 'TOLVIN';

update integration set importance = upper(importance);
update seat set takes_effect = upper(takes_effect);
alter table seat alter takes_effect set default 'NEXT_SIGN_IN';
alter table tie rename rhythm_seconds to expected_interval_seconds;
alter table tie rename longest_run_seconds to longest_session_seconds;
alter table client_seen rename longest_run_seconds to longest_session_seconds;

drop index placement_live, placement_live_account, placement_to_do;
update placement set state = upper(state), purpose = upper(replace(purpose, '-', '_')), access = upper(access);
alter table placement alter access set default 'WRITE';
create unique index placement_live on placement (key_id, account_id) where state <> 'WITHDRAWN';
create index placement_live_account on placement (account_id) where state <> 'WITHDRAWN';
create index placement_to_do on placement (next_look_at) where state in ('WANTED', 'WITHDRAWING');

update key_proof set kind = upper(kind);
update trial set made_by = upper(made_by), way = upper(way), state = upper(state),
  explanation = case when explanation is not null then jsonb_set(explanation, '{causes}', coalesce(
    (select jsonb_agg((c - 'wayOut') || jsonb_build_object(
        'kind', upper(replace(c ->> 'kind', '-', '_')), 'certainty', upper(c ->> 'certainty'), 'remedy', c -> 'wayOut'))
      from jsonb_array_elements(explanation -> 'causes') c), '[]')) end;
alter table trial alter made_by set default 'TOLVIN', alter way set default 'SSH', alter state set default 'SEEN';
alter table maker rename to trust_anchor;
alter index maker_live rename to trust_anchor_live;

drop index sweep_running;
update sweep set state = upper(state);
create unique index sweep_running on sweep (coalesce(destination_id, id)) where state = 'RUNNING';

alter table finding rename way_out to remedy;
update finding set kind = upper(replace(kind, '-', '_')),
  severity = case severity when 'broken' then 'CRITICAL' when 'serious' then 'MAJOR' else 'MINOR' end,
  settled_by = case settled_by when 'put-back' then 'restore' else settled_by end;

drop index hand_over_open;
update hand_over set kind = upper(kind), state = upper(state);
create unique index hand_over_open on hand_over
  (kind, coalesce(account_id, seat_id, destination_id), coalesce(key_id, id)) where state in ('OPEN', 'REPLIED');

-- A rotation's direction, stage and outcome, and what a person approved and answered, by kind and subject.
alter table rotation rename aim to direction;
update rotation set
  direction = case direction when 'HOLD' then 'PLANNED' when 'FORWARD' then 'RUNNING' when 'BACK' then 'ROLLING_BACK'
    else direction end,
  stage = case stage when 'MADE' then 'GENERATED' else stage end,
  outcome = case outcome when 'put back' then 'ROLLED_BACK' else upper(outcome) end;

create function effect_kind(word text) returns text language sql as $$
  select case word when 'make' then 'GENERATE' when 'effect' then 'RELOAD' else upper(replace(word, '-', '_')) end
$$;
create function effect_id(name text) returns jsonb language sql as $$
  select jsonb_build_object('kind', effect_kind(split_part(name, ' ', 1)),
    'where', case when split_part(name, ' ', 2) ~ '^[0-9a-f]{8}-' then split_part(name, ' ', 2) end,
    'key', substring(name from 'SHA256:[^ ]+'))
$$;
create function question_id(name text) returns jsonb language sql as $$
  select case
    when name like 'beyond the plan: %' then
      jsonb_build_object('kind', 'BEYOND_THE_PLAN', 'effect', effect_id(substring(name from 18)))
    else jsonb_build_object('subject', substring(name from '[^ ]+$'), 'kind',
      case when name like 'broken %' then 'BROKEN_TIE' when name like 'no way back %' then 'NO_WAY_BACK'
        when name like 'blind %' then 'USES_NOT_SEEN' else 'USE_READ_IN' end) end
$$;
alter table rotation alter question type jsonb using case when question is not null then question_id(question) end;
update rotation set
  approved = coalesce((select jsonb_agg(effect_id(e)) from jsonb_array_elements_text(approved) e), '[]'),
  accepted = coalesce((select jsonb_agg(question_id(q)) from jsonb_array_elements_text(accepted) q), '[]');

alter table attempt rename effect to kind;
alter table attempt add tie_id uuid, add key text;
update attempt set key = substring(kind from 'SHA256:[^ ]+'),
  tie_id = case when kind like 'prove-seat %' then cast(split_part(kind, ' ', 2) as uuid) end,
  kind = effect_kind(split_part(kind, ' ', 1));
drop function question_id(text);
drop function effect_id(text);
drop function effect_kind(text);

alter table identity add check (kind in ('PERSON', 'SERVICE_ACCOUNT'));
alter table key_record add check (custody in ('MACHINE', 'DEVICE', 'COFFER', 'MODULE', 'ELSEWHERE'));
alter table account add check (sign_in_mode in ('PASSWORD', 'KEY', 'EITHER', 'BOTH')),
  add check (managed_by in ('TOLVIN', 'SHARED', 'ANOTHER_SOURCE')),
  add check ((managed_by = 'ANOTHER_SOURCE') = (other_source <> ''));
alter table placement add check (state in ('WANTED', 'PLACED', 'PROVEN', 'WITHDRAWING', 'WITHDRAWN')),
  -- a placement is withdrawn exactly when its withdrawal is on record
  add check ((state = 'WITHDRAWN') = (withdrawn_at is not null)),
  add check (state in ('WANTED', 'WITHDRAWN') or placed_at is not null),
  add check (lost_at is null or state = 'WITHDRAWN');
alter table rotation add check (direction in ('PLANNED', 'RUNNING', 'ROLLING_BACK', 'STOPPED')),
  add check (outcome in ('DONE', 'ROLLED_BACK', 'STOPPED'));
alter table attempt add check (outcome in ('RUNNING', 'DONE', 'FAILED', 'UNKNOWN'));
alter table sweep add check ((state = 'RUNNING') = (ended_at is null));
alter table finding add check (severity in ('CRITICAL', 'MAJOR', 'MINOR'));

-- An entry that the server ignores says so, where it had an end in 1970.
update account set registered =
  (select jsonb_agg(case when e ->> 'endsAt' ~ '^(0([.E]|$)|1970-01-01T00:00:00)'
      then (e - 'endsAt') || '{"ignored": true}' else e end)
    from jsonb_array_elements(registered) e)
  where registered::text ~ '"endsAt": (0[.E,}]|"1970-)';

-- The journal says what was done in a column of that name; its entries and their seals stay as they are.
alter table journal_entry rename deed to action;
create or replace function journal_is_append_only() returns trigger language plpgsql as $$
begin
  if tg_op = 'DELETE' then
    raise exception 'journal entries are never removed';
  end if;
  if old.number is not null
    or (new.id, new.at, new.actor, new.action, new.text, new.data)
      is distinct from (old.id, old.at, old.actor, old.action, old.text, old.data)
    or new.subject is distinct from old.subject then
    raise exception 'journal entries are never changed';
  end if;
  return new;
end $$;
