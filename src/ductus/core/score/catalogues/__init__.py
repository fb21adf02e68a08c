"""Fixed knowledge: instruments, score layouts, drums, drum patterns, accompaniment figures, chord tones."""
