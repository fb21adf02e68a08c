-- Where a browser works in a piece: everything that it finds again after a lost connection, a reload or a killed server. The messages up to number
-- "handled" have had their effect, and of the next one the first "part" events.
create table seat (
  token text not null,
  piece text not null references piece (id) on delete cascade,
  handled integer not null,
  part integer not null,
  near_bar integer not null,
  recording integer,
  state_json text not null,
  clip_json text not null,
  at_s integer not null,
  primary key (token, piece)
) strict, without rowid;
