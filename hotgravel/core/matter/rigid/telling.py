"""What bodies are told of their contacts at the end of a step."""

from numba import njit

from hotgravel.core.matter.rigid.constraint import HIT, NORMAL, SUM


@njit(cache=True)
def met_by(table, one, other, n, hard, bits, named, touched, impact, impulse, partner, blow):
    """What each of n bodies met by the contacts of a look (k, CONTACT_WIDTH) between one and other (k,), added in place
    to those of the step's earlier looks: what it touched, how fast it was hit at most, and of its hits the one with the
    greatest impulse, by whom, which way and how hard. `bits` and `named` have all bodies and obstacles; slower hits
    than `hard` m/s are none. Returns the hits."""
    hits = 0
    for k in range(len(table)):
        if table[k, SUM] > 0.0:
            for side, by in ((one[k], other[k]), (other[k], one[k])):
                if side < n:
                    if touched[side] == 0:
                        impact[side] = 0.0
                    touched[side] |= bits[by]
    for k in range(len(table)):
        total, speed = table[k, SUM], table[k, HIT]
        if total <= 0.0 or speed <= hard:
            continue
        hits += 1
        for side, by, way in ((one[k], other[k], -total), (other[k], one[k], total)):
            if side < n:
                impact[side] = max(impact[side], speed)
                if total > impulse[side]:
                    impulse[side], partner[side] = total, named[by]
                    for c in range(3):
                        blow[side, c] = way * table[k, NORMAL + c]
    return hits
