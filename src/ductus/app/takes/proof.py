"""Proof by playing: a take held against the page of one part, its differences decided one by one.

And where the player is while it is played.
"""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor

from ductus.app import wire as m
from ductus.app.document.desk import Desk
from ductus.core.errors import BadInput, NotThere
from ductus.core.playback.proof import Difference, Place, Proof, prove, taken_over
from ductus.core.score.model.changes import Change, joined
from ductus.core.words import capital, count_words, with_the

HANDS = {0: "", 1: ", the upper staff alone", 2: ", the lower staff alone"}
BESIDE = ThreadPoolExecutor(1, "page of a proof")
NO_PROOF = m.ProofFact(0, "", "", ())


def bars_in_words(first: int, last: int) -> str:
    """ "bar 3", "bars 1 to 16", "the pick-up to bar 8"."""
    if first == last:
        return f"bar {first}" if first else "the pick-up"
    return f"bars {first} to {last}" if first else f"the pick-up to bar {last}"


class Prover:
    """The proof of one browser. Methods are called under the desk's lock."""

    def __init__(self, desk: Desk) -> None:
        self.desk = desk
        self.take, self.part = 0, ""
        self.proof: Proof | None = None
        self._left: set[str] = set()  # differences that the page keeps
        self._place: Future[Place] | None = None
        self._tick: int | None = None

    # --- while it is played ---------------------------------------------------------------

    def follow(self, part: str | None) -> None:
        """From now on keys say where on the page of a part the player is; None: no longer.

        The page is made ready during the count-in.
        """
        self._place = None if part is None else BESIDE.submit(Place, self.desk.piece, part)
        self._tick = None

    def hear(self, key: int, at_us: int) -> int | None:
        """The tick of the page where the player is after one more key.

        None where it is the same as before, or nobody is followed.
        """
        if self._place is None:
            return None
        tick = self._place.result().hear(key, at_us)
        moved, self._tick = tick != self._tick, tick
        return tick if moved else None

    # --- when it is over --------------------------------------------------------------------

    def hold(self, take: int, part: str) -> str:
        """Hold a kept take against the page; what came of it in words.

        Raises NotThere, BadInput: then no proof is open.
        """
        self.close()
        self.desk.take_row(take)
        self.desk.piece.part(part)
        self.proof = prove(self.desk.piece, part, self.desk.take(take))
        self.take, self.part = take, part
        return self.words

    def close(self) -> None:
        """The proof is over; the take stays."""
        self.take, self.proof = 0, None
        self._left.clear()

    def refresh(self) -> bool:
        """The page has changed: hold the take against what stands there now. False where no proof is open."""
        if self.proof is None:
            return False
        try:
            self.proof = prove(self.desk.piece, self.part, self.desk.take(self.take))
        except (BadInput, NotThere):  # something else stands there by now
            self.close()
        return True

    @property
    def open_ones(self) -> list[Difference]:
        """Differences that nobody has decided yet."""
        return [] if self.proof is None else [d for d in self.proof.differences if d.key not in self._left]

    @property
    def words(self) -> str:
        """How page and playing stand to each other, in a sentence without its end."""
        assert self.proof is not None
        first, last = self.proof.bars
        bars = bars_in_words(first, last)
        count = len(self.open_ones)
        kept = len(self.proof.differences) - count
        differ = (
            f"{count_words(count, 'place')} differ{'s' if count == 1 else ''}"
            if count
            else "nothing differs"
            if not kept
            else "nothing is left to decide"
        )
        left = f" ({count_words(kept, 'place')} left as on the page)" if kept else ""
        return (
            f"{self.desk.take_row(self.take).name} against {bars}{HANDS[self.proof.staff]}: "
            f"{count_words(self.proof.agree, 'note')} {'agrees' if self.proof.agree == 1 else 'agree'}, {differ}{left}"
        )

    def decide(self, message: m.DecideDifference) -> Change | str:
        """What a decision changes, or (where the page stays) what is said.

        Raises NotThere for a difference that is gone.
        """
        if self.proof is None:
            raise NotThere("No proof is open. The page is as it was.")
        if message.do == "close":
            self.close()
            return "The proof is closed; its take is kept"
        chosen = [d for d in self.open_ones if message.key in ("", d.key)]
        if not chosen:
            raise NotThere("That place does not differ any more. The page is as it was.")
        if message.do == "leave":
            self._left.update(d.key for d in chosen)
            place = with_the(self.desk.piece.timeline.place_words(chosen[0].tick))
            return f"{capital(place)} stays as on the page" if message.key else "All of it stays as on the page"
        page, changes = self.desk.piece, []
        for d in chosen:
            changes.append(taken_over(page, self.part, d))
            page = changes[-1].apply(page)
        return changes[0] if len(changes) == 1 else joined(f"{count_words(len(changes), 'place')} as played", changes)

    def fact(self) -> m.ProofFact:
        """The proof as a browser shows it."""
        if self.proof is None:
            return NO_PROOF
        place_words = self.desk.piece.timeline.place_words
        page = self.desk.piece

        def beside(d: Difference) -> tuple[str, ...]:
            """Its notes of the page; where there are none, those that are nearest, of its own staff where both have
            some.
            """
            bar = page.timeline.bar_at(d.tick)
            near = page.notes_between(self.part, bar.start, bar.end)
            closest = min(((abs(n.tick - d.tick), n.staff != d.staff) for n in near), default=(0, False))
            return d.notes or tuple(n.id for n in near if (abs(n.tick - d.tick), n.staff != d.staff) == closest)

        differences = tuple(
            m.DifferenceFact(d.key, d.kind, d.tick, place_words(d.tick), d.staff, beside(d), d.words)
            for d in self.open_ones
        )
        return m.ProofFact(self.take, self.desk.piece.part(self.part).name, self.words, differences)
