-- Users are invited by a link, disabled, and removed; the login of somebody who left is not given again.
alter table user_account drop constraint user_account_role_check, drop constraint user_account_check;
update user_account set role = upper(role);
alter table user_account
  add constraint user_account_role_check check (role in ('ADMINISTRATOR', 'SELF')),
  add constraint user_account_check check (role = 'ADMINISTRATOR' or identity_id is not null),
  alter column password_hash drop not null,
  add column state text not null default 'ACTIVE'
    check (state in ('INVITED', 'ACTIVE', 'DISABLED', 'REMOVED')),
  add column link_hash text unique,
  add column link_until timestamptz,
  add column link_by text,
  add column opened_at timestamptz,
  add column opened_by text,
  add column last_seen_at timestamptz;
-- a second login for the same person was a way to their secrets: the one that they got first stays
update user_account u set state = 'REMOVED'
  where identity_id is not null
    and exists (select 1 from user_account o where o.identity_id = u.identity_id and o.created_at < u.created_at);
create unique index user_account_identity on user_account (identity_id) where state <> 'REMOVED';

-- everybody signs in again once
delete from sign_in_session;
alter table sign_in_session
  add column address text not null,
  add column last_used_at timestamptz not null,
  add column confirmed_at timestamptz not null;
create index sign_in_session_user on sign_in_session (user_id);

alter table api_token
  add column scope text not null default 'ADMINISTER' check (scope in ('READ', 'OPERATE', 'ADMINISTER')),
  add column last_used_at timestamptz;
create index api_token_user on api_token (user_id);

-- one job forgets what was kept for a while only
delete from job where task_name in ('OUTBOX', 'REPEATED_REQUESTS');

-- what may be run on hosts: only what an administrator approved, word by word
create table host_command (
  id uuid primary key,
  command text not null,
  reason text not null,
  approved_by text not null,
  approved_at timestamptz not null,
  valid_until timestamptz
);
create unique index host_command_in_force on host_command (command) where valid_until is null;
insert into host_command (id, command, reason, approved_by, approved_at)
  select gen_random_uuid(), command, 'in use before commands had to be approved', 'Tolvin', now()
  from (select effect_command as command from seat where effect_command <> '' and valid_until is null
        union select reload_command from destination where reload_command is not null and valid_until is null) used;
