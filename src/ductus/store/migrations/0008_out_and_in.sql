-- The sign of a meter; tags of pieces, and their first bars as a picture, as of a revision.
alter table meter add column sign text not null default '';
alter table piece add column tags text not null default '';

create table opening (
  piece text primary key references piece (id) on delete cascade,
  revision integer not null,
  svg text not null
) strict, without rowid;
