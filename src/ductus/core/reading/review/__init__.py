"""What a person sees of a reading and decides about it.

doubts, questions and the prompt go out; options come in and are kept as JSON with the piece

Read ``options`` first: the record of all choices, and reading again as they say. ``option_base`` is the base of
``note_options`` and ``beat_options``; ``rival_words`` and ``rhythm_words`` put alternatives into words.
"""
