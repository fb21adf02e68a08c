-- How a take stands on the page; choices is JSON (core.reading.choices).
create table reading (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  take integer not null, part text not null, staff integer not null, start integer not null, choices text not null,
  primary key (piece, id)
) strict, without rowid;

-- Beats that were found in a take played freely, best first: looked for once for each set of hints.
create table found_beats (
  take integer not null references take (id) on delete cascade,
  hints text not null,
  rank integer not null,
  meter text not null,
  pulses_json text not null,
  primary key (take, hints, rank)
) strict, without rowid;
