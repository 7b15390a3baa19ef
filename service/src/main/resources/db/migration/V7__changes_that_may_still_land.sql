-- A change whose answer never came may still land. Its attempt keeps its reservation until that is made
-- impossible; what it may have left beside a file is removed and looked for once more.
alter table attempt
  add changes boolean not null default false,
  add unsettled boolean not null default false,
  add settle_at timestamptz;
create index attempt_running on attempt (lease_until) where outcome = 'RUNNING';
create index attempt_to_settle on attempt (settle_at) where settle_at is not null;
create index attempt_unsettled on attempt (coalesce(account_id, seat_id)) where unsettled;
create index reservation_attempt on reservation (attempt_id);

-- An entry that a reading did not find: since when, when a second reading is due, and when two readings
-- agreed that somebody else took it out (until a person settled that).
alter table placement
  add missing_since timestamptz,
  add confirm_at timestamptz,
  add lost_at timestamptz,
  add check (lost_at is null or state = 'withdrawn');
create index placement_to_confirm on placement (confirm_at) where confirm_at is not null;
create index placement_to_look_again on placement (look_again_at) where look_again_at is not null;
create index placement_lost on placement (account_id) where lost_at is not null;
create index placement_to_do on placement (next_look_at) where state in ('wanted', 'withdrawing');
create index placement_rotation on placement (rotation_id);

-- Seats are read again at intervals; since when each was read as offering what it offers now.
alter table seat
  add same_since timestamptz,
  add look_at timestamptz;
update seat set same_since = offers_since where read_at is not null;
update seat set look_at = read_at where valid_until is null and destination_id is not null;
create index seat_to_look on seat (look_at) where look_at is not null;
create index tie_seat on tie (seat_id) where valid_until is null;
create index tie_account on tie (account_id) where valid_until is null;

-- Private keys that are out of use are destroyed when nothing can need them any more.
alter table key_record add destroy_at timestamptz;
create index key_to_destroy on key_record (destroy_at) where destroy_at is not null;
update key_record k set destroy_at = k.ended_at
  where k.ended_at is not null and k.custody = 'coffer' and exists
    (select 1 from coffer_entry c where c.purpose = 'private half' and c.subject_id = k.id
      and c.destroyed_at is null);

create index rotation_new_key on rotation (new_key_id);
create index rotation_old_key on rotation (old_key_id, planned_at);
create index rotation_ended on rotation (ended_at);
create index trial_made on trial (made_at);
create index outbox_at on outbox (at);
create index use_seen_latest on use_seen (account_id, latest);

-- Uses that a person read in from a file are told apart from those that Tolvin saw itself.
alter table use_seen add read_in boolean not null default false;
alter table use_seen drop constraint use_seen_account_id_fingerprint_address_key;
create unique index use_seen_which on use_seen (account_id, fingerprint, address, read_in);

-- How the clients at an address were seen to behave on an account; it stays when their keys change.
create table client_seen (
  account_id uuid not null references account,
  address text not null,
  longest_gap_seconds bigint not null default 0,
  longest_run_seconds bigint not null default 0,
  fell_back_at timestamptz,
  primary key (account_id, address)
);
insert into client_seen (account_id, address, longest_gap_seconds, longest_run_seconds, fell_back_at)
  select account_id, address, max(longest_gap_seconds), max(longest_run_seconds), max(fell_back_at)
  from use_seen group by account_id, address;
alter table use_seen drop column longest_gap_seconds, drop column longest_run_seconds,
  drop column fell_back_at;

create index placement_live_account on placement (account_id) where state <> 'withdrawn';
create index trial_seen on trial (account_id, made_at) where seen_at is not null;

-- since when a feed has been read again and again without a pause
alter table feed add working_since timestamptz;
create index seat_ever_offered on seat using gin (ever_offered jsonb_path_ops);
