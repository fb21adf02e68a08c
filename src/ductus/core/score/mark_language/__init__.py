"""Read marks as musicians write them: "mf", "poco rit.", "2nd ending", "Cm7/G".

Words -> ``parser`` -> a wish (the kind of mark and its text). ``modifiers`` knows the words that stand with others.
"""
