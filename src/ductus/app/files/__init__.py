"""Files in and out.

``importing`` is the one door in (MIDI by ``midi_import``, MusicXML, our own files); ``exporting`` and ``file_jobs``
write; ``transcribe`` serves the command line.
"""
