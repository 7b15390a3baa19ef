-- both ends of a trial's connection, and what the server called itself
alter table trial add connection text not null default '';
