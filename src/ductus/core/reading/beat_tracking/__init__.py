"""Find beats, bars and tempo of a take that was played without a click.

onsets -> onset_clusters -> beam_search (one for each meter) -> meter_candidates -> tracker -> a pulse map

Read ``tracker`` first: it calls the others in order. ``bar_features`` and ``melody_features`` measure what
``meter_candidates`` weighs; ``set_beats`` applies the beats that a person set; ``tempo_curve`` measures the tempo of
the result.
"""
