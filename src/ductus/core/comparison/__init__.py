"""Compare two performances, or follow a performance along the page.

``alignment`` pairs the notes of two performances; ``following`` finds the player's place on a page while somebody
plays.
"""
