-- What the service does by itself: one row for each piece of work, with the moment at which it is due. The columns
-- but the last are those of the scheduler, db-scheduler. What used to be due by columns of its own comes here.
create table job (
  task_name text not null,
  task_instance text not null,
  task_data bytea,
  execution_time timestamptz not null,
  picked boolean not null,
  picked_by text,
  last_success timestamptz,
  last_failure timestamptz,
  consecutive_failures int,
  last_heartbeat timestamptz,
  version bigint not null,
  -- there was news while a worker was at it: it is due again at this moment
  woken_at timestamptz,
  primary key (task_name, task_instance)
) with (fillfactor = 70, autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 1000);
create index job_due on job (execution_time);
create index job_heartbeat on job (last_heartbeat) where last_heartbeat is not null;

insert into job (task_name, task_instance, execution_time, picked, version)
  select 'ROTATION', id::text, now(), false, 1 from rotation where ended_at is null
  union all
  select 'PLACEMENT', id::text, now(), false, 1 from placement
    where state in ('WANTED', 'WITHDRAWING') and rotation_id is null
  union all
  select 'FEED', f.destination_id::text, now(), false, 1 from feed f join destination d on d.id = f.destination_id
    where d.valid_until is null
  union all
  select 'HEALTH', id::text, now(), false, 1 from destination where valid_until is null
  union all
  select 'KNOWN_HOST', id::text, next_try_at, false, 1 from known_host_supply
    where done_at is null and next_try_at is not null
  union all
  select 'SEAT', id::text, look_at, false, 1 from seat where look_at is not null and valid_until is null
  union all
  select 'DESTRUCTION', id::text, destroy_at, false, 1 from key_record where destroy_at is not null
  union all
  select 'SETTLEMENT', id::text, settle_at, false, 1 from attempt where settle_at is not null;

drop index rotation_next;
drop index placement_to_do;
alter table rotation drop next_look_at, drop woken_at, drop lease_owner, drop lease_until;
alter table placement drop next_look_at, drop lease_until;
alter table feed drop next_read_at, drop lease_until;
alter table destination drop health_next_at, drop health_lease_until;
alter table known_host_supply drop next_try_at;
alter table seat drop look_at;
alter table key_record drop destroy_at;
