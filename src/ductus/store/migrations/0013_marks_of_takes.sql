-- The take that a mark came from, 0 where a person wrote it.
alter table mark add column take integer not null default 0;
