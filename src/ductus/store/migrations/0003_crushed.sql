-- Grace notes with a stroke before a note: their pitches, as D#5 Eb5.
alter table note add column crushed text not null default '';
