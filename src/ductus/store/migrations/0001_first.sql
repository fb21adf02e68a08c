create table piece (
  id text primary key,
  revision integer not null default 0,
  position integer not null default 0,
  made_at text not null,
  changed_at text not null,
  deleted_at text,
  last_place integer not null default 0,
  title text not null, subtitle text not null, composer text not null, arranger text not null, number text not null,
  pickup integer not null, bars integer not null
) strict;

create table part (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  name text not null, short text not null, programme integer not null, clefs text not null,
  "order" integer not null, lyrics integer not null,
  primary key (piece, id)
) strict, without rowid;

create table meter (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  bar integer not null, count integer not null, unit integer not null, groups text not null,
  primary key (piece, id)
) strict, without rowid;

create table key_signature (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  bar integer not null, fifths integer not null, mode text not null,
  primary key (piece, id)
) strict, without rowid;

create table tempo (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  tick integer not null, bpm real not null, beat text not null, dots integer not null,
  text text not null, printed integer not null,
  primary key (piece, id)
) strict, without rowid;

create table note (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  part text not null, staff integer not null, voice integer not null,
  tick integer not null, ticks integer not null,
  step text not null, "alter" integer not null, octave integer not null, velocity integer not null,
  sounds_late integer not null, sounds_ticks integer, articulations text not null, lyric text not null,
  take integer, event integer,
  primary key (piece, id)
) strict, without rowid;

create table mark (
  piece text not null references piece (id) on delete cascade,
  id text not null,
  kind text not null, part text not null, staff integer not null, voice integer not null,
  tick integer not null, ticks integer not null, text text not null, actual integer, normal integer, notes text not null,
  primary key (piece, id)
) strict, without rowid;

-- One row an edit; rows_json holds the rows before and after. Edits up to piece.position are done, later ones undone.
create table history (
  piece text not null references piece (id) on delete cascade,
  position integer not null,
  sentence text not null,
  rows_json text not null,
  made_at text not null,
  primary key (piece, position)
) strict, without rowid;

-- Everything that was heard while a piece was open; at_us is microseconds of the browser's wall clock.
create table journal (
  id integer primary key,
  piece text not null references piece (id) on delete cascade,
  at_us integer not null,
  kind text not null check (kind in ('down', 'up', 'control')),
  key integer not null, value integer not null, channel integer not null, pen_down integer not null
) strict;
create index journal_by_time on journal (piece, at_us);

create table take (
  id integer primary key,
  piece text not null references piece (id) on delete cascade,
  name text not null,
  source text not null check (source in ('click', 'free', 'file', 'journal')),
  made_at text not null,
  dropped integer not null default 0,
  pulses_json text,
  settings_json text not null
) strict;

create table take_note (
  take integer not null references take (id) on delete cascade,
  event integer not null,
  onset_us integer not null, release_us integer not null,
  key integer not null, velocity integer not null, channel integer not null,
  primary key (take, event)
) strict, without rowid;

create table take_control (
  take integer not null references take (id) on delete cascade,
  event integer not null,
  time_us integer not null, controller integer not null, value integer not null,
  primary key (take, event)
) strict, without rowid;

create table setting (
  name text primary key,
  value text not null
) strict, without rowid;
