"""Which things of a matter are there, as their props come and go."""

from collections.abc import Container, Sequence


def come_and_go(
    begun: list[int], props: Sequence[str], there: Container[str], gone: Container[str]
) -> tuple[list[int], list[int]]:
    """The numbers of the things that begin now, because their props are there, and of those that end, because a cue has
    taken their props away; `begun` is brought up to date in place. `props` has the prop of each thing."""
    new = [n for n, prop in enumerate(props) if prop in there and n not in begun]
    ended = [n for n, prop in enumerate(props) if prop not in there and prop in gone and n in begun]
    begun[:] = [n for n in begun if n not in ended] + new
    return new, ended
