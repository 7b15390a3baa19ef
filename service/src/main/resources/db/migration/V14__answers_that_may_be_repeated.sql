-- What was kept before may hold secrets, and its requests are told by a hash that can be tried out.
delete from idempotency;
create index idempotency_age on idempotency (created_at);
