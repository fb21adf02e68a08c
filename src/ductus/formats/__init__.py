"""Open formats in and out: MusicXML, Standard MIDI File."""
