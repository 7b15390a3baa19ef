-- whether a person said, with a reason and told what would break, that a key is to go all the same
alter table placement add overruled boolean not null default false;
