-- Counts and lengths of takes stand with them, so that a list of takes costs what it shows.
alter table take add column notes integer not null default 0;
alter table take add column length_us integer not null default 0;
update take set
  notes = (select count(*) from take_note n where n.take = take.id),
  length_us = (select coalesce(max(release_us), 0) from take_note n where n.take = take.id);

-- Where the pen stood before and after an edit, as JSON [[part, staff, voice, tick], [...]]; null for edits of no pen.
alter table history add column pen_json text;

-- A recording that goes on: the row goes when its take is kept, so that one that was cut off is found again in the journal.
create table recording (
  id integer primary key,
  piece text not null references piece (id) on delete cascade,
  from_us integer not null,
  to_us integer,
  plan_json text not null
) strict;

-- Reminding accidentals: plain, parentheses or none.
alter table piece add column cautions text not null default 'plain';
