-- Clef changes, signs of bars (bar lines, endings, jumps, section names), transposing parts, marks moved by hand.
create table clef (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  part text not null, staff integer not null, tick integer not null, clef text not null,
  primary key (piece, id)
) strict, without rowid;

create table bar_sign (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  kind text not null, bar integer not null, text text not null, bars integer not null,
  primary key (piece, id)
) strict, without rowid;

alter table part add column transpose text not null default '0 0';
alter table tempo add column shown text not null default '';
alter table mark add column dx integer not null default 0;
alter table mark add column dy integer not null default 0;
alter table mark add column side text not null default '';
