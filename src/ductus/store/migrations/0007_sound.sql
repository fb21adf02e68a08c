-- Level and place of each part, what its keys mean on a kit, how notes were played, patterns.
alter table part add column level integer not null default 100;
alter table part add column pan integer not null default 64;
alter table part add column kit text not null default '';
alter table note add column played_late integer;
alter table note add column played_ticks integer;

create table pattern (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  part text not null, start integer not null, ticks integer not null, times integer not null, cells text not null,
  primary key (piece, id)
) strict, without rowid;
