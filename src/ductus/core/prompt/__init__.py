"""The prompt: the line that says what the next key or recording will do, as phrases with their choices.

state -> ``entry``, settings -> ``recording`` -> phrases (see ``core.phrases``)
"""
