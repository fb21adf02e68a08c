-- A change of very many rows is kept packed (rows_json is empty then), and its rows come into their tables bit by bit. Until they are all
-- there it stands in pending_rows (back: it is taken back), and so does all that is changed after it: number is the revision that a change made.
alter table history add column packed blob;

create table pending_rows (
  piece text not null references piece (id) on delete cascade,
  number integer not null,
  back integer not null,
  rows_json text not null,
  packed blob,
  primary key (piece, number)
) strict, without rowid;
