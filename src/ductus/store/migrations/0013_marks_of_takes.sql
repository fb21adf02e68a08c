-- The take that a mark came from, null where a person wrote it.
alter table mark add column take integer;
