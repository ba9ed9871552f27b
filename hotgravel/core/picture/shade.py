"""Light on what a camera sees: key, fill, sky, lamps and their shadows, at each pixel.

Shadows are looked up in what a light sees (Williams 1978): a map for the key, six for each lamp that throws them. A
point is moved off its surface by a little before it is looked for, and its neighbours are asked too, so that edges are
soft (Reeves, Salesin and Cook 1987).
"""

import math

import numpy as np
from numba import njit, prange

from hotgravel.core.picture.raster import NOTHING, from_all_over

# Columns of a surface's look: whether it is rough, its highlight, its rim, the share of its own colour that it gives as
# light, whether it glows as an ember does, and, of what is clear as water, how clear it is seen straight on.
ROUGH, HIGHLIGHT, RIM, GIVES, FIRE, CLEAR, LOOK_WIDTH = 0, 1, 2, 3, 4, 5, 6
# Columns of a map's camera: its place, its axes, and half its height a metre before it (or, for the key, in metres).
EYE, AXES, SPAN, MAP_WIDTH = 0, 3, 12, 13
# Columns of a lamp: its place, strength, reach, colour, and the first of its six maps (-1 for none).
STRENGTH, REACH, COLOUR, MAP, LAMP_WIDTH = 3, 4, 5, 8, 9
# Rows of the light that all is in: where the key and the fill come from, their colours, sky, ground, and the backdrop's
# zenith, horizon and glow.
KEY_FROM, KEY, FILL_FROM, FILL, SKY, GROUND, ZENITH, HORIZON, GLOW, LIGHT_ROWS = range(10)


@njit(cache=True)
def grain(x, y, z):
    x, y, z = x * 0.3183 + 0.1, y * 0.3183 + 0.1, z * 0.3183 + 0.1
    x, y, z = 17.0 * (x - math.floor(x)), 17.0 * (y - math.floor(y)), 17.0 * (z - math.floor(z))
    g = x * y * z * (x + y + z)
    return g - math.floor(g)


@njit(cache=True)
def lumps(x, y, z):
    """Value noise of one lump a unit; the stage's shader roughens surfaces with the same."""
    i, j, k = math.floor(x), math.floor(y), math.floor(z)
    x, y, z = x - i, y - j, z - k
    x, y, z = x * x * (3 - 2 * x), y * y * (3 - 2 * y), z * z * (3 - 2 * z)
    total = 0.0
    for a in range(2):
        for b in range(2):
            for c in range(2):
                weight = (x if a else 1 - x) * (y if b else 1 - y) * (z if c else 1 - z)
                total += weight * grain(i + a, j + b, k + c)
    return total


@njit(cache=True)
def _roughness(x, y, z):
    """How bright a rough surface is at a place of its own frame."""
    speck = 0.5 * lumps(2.3 * x, 2.3 * y, 2.3 * z) + 0.3 * lumps(7.1 * x, 7.1 * y, 7.1 * z)
    return 0.62 + 0.76 * (speck + 0.2 * lumps(23.0 * x, 23.0 * y, 23.0 * z))


@njit(cache=True)
def _shown(cameras, maps, m, px, py, pz, nx, ny, nz, flat):
    """The share of a point that a light sees by its m-th map, 0 to 1; 1 outside it."""
    n, span = maps.shape[1], cameras[m, SPAN]
    texel = 2.0 * span / n
    dx, dy, dz = px - cameras[m, EYE], py - cameras[m, EYE + 1], pz - cameras[m, EYE + 2]
    if not flat:
        texel *= math.sqrt(dx * dx + dy * dy + dz * dz)
    dx, dy, dz = dx + 1.5 * texel * nx, dy + 1.5 * texel * ny, dz + 1.5 * texel * nz
    a = AXES
    x = cameras[m, a] * dx + cameras[m, a + 1] * dy + cameras[m, a + 2] * dz
    y = cameras[m, a + 3] * dx + cameras[m, a + 4] * dy + cameras[m, a + 5] * dz
    z = cameras[m, a + 6] * dx + cameras[m, a + 7] * dy + cameras[m, a + 8] * dz
    far = 1.0 if flat else max(z, 1e-6)
    u, v = 0.5 * n * (1.0 + x / (far * span)), 0.5 * n * (1.0 - y / (far * span))
    if u < 1.0 or v < 1.0 or u >= n - 1.0 or v >= n - 1.0:
        return 1.0
    i, j = int(v - 0.5), int(u - 0.5)
    s, t = v - 0.5 - i, u - 0.5 - j
    seen = 0.0
    for k in range(2):
        for e in range(2):
            weight = (s if k else 1.0 - s) * (t if e else 1.0 - t)
            if maps[m, min(i + k, n - 1), min(j + e, n - 1)] > z - texel:
                seen += weight
    return seen


@njit(cache=True)
def _in_cast(frame, c, x, y, z):
    """Where a place lies in a shadow of smoke along one of its axes, 0 to 1."""
    return (x * frame[c, 0] + y * frame[c, 1] + z * frame[c, 2] - frame[3, c]) / frame[4, c]


@njit(cache=True)
def past_smoke(cast, frame, x, y, z):
    """The share of the key's light that smoke lets through to a place, by its shadow (`cast.Cast`)."""
    n = len(cast)
    if n == 0:
        return 1.0
    u, v, deep = _in_cast(frame, 0, x, y, z), _in_cast(frame, 1, x, y, z), _in_cast(frame, 2, x, y, z)
    if u <= 0.0 or u >= 1.0 or v <= 0.0 or v >= 1.0:
        return 1.0
    u, v = min(max(n * u - 0.5, 0.0), n - 1.001), min(max(n * v - 0.5, 0.0), n - 1.001)
    i, j = int(v), int(u)
    s, t = v - i, u - j
    through, begins, ends = 0.0, 0.0, 0.0
    for k in range(2):
        for e in range(2):
            weight = (s if k else 1.0 - s) * (t if e else 1.0 - t) / 255.0
            through += weight * cast[i + k, j + e, 0]
            begins += weight * cast[i + k, j + e, 1]
            ends += weight * cast[i + k, j + e, 2]
    behind = min(max((deep - begins) / max(ends - begins, 0.01), 0.0), 1.0)
    return 1.0 - behind * (1.0 - through)


@njit(cache=True)
def _of_lamps(lamps, cameras, maps, x, y, z, nx, ny, nz):
    """What lamps (n, LAMP_WIDTH) give a surface at a place that faces n."""
    red, green, blue = 0.0, 0.0, 0.0
    for j in range(len(lamps)):
        ax, ay, az = lamps[j, 0] - x, lamps[j, 1] - y, lamps[j, 2] - z
        off = math.sqrt(ax * ax + ay * ay + az * az) + 1e-9
        facing = (nx * ax + ny * ay + nz * az) / off
        if facing <= 0.0:
            continue
        light = lamps[j, STRENGTH] * facing / (1.0 + (off / lamps[j, REACH]) ** 2)
        if light < 1e-4:
            continue
        if lamps[j, MAP] >= 0.0:
            across = max(abs(ax), abs(ay), abs(az))
            side = 0 if across == abs(ax) else (1 if across == abs(ay) else 2)
            way = ax if side == 0 else (ay if side == 1 else az)
            m = int(lamps[j, MAP]) + 2 * side + (1 if way > 0.0 else 0)  # the lamp looks the other way
            light *= _shown(cameras, maps, m, x, y, z, nx, ny, nz, False)
        red += light * lamps[j, COLOUR]
        green += light * lamps[j, COLOUR + 1]
        blue += light * lamps[j, COLOUR + 2]
    return red, green, blue


@njit(cache=True)
def _backdrop(light, x, y, z):
    """The sky's colour along a direction."""
    up = max(y, 0.0)
    dusk = max(0.0, (0.66 * x - 0.75 * z) / (math.sqrt(x * x + z * z) + 1e-12))
    haze = math.exp(-5.0 * up)
    low = (0.2 + 0.8 * dusk * dusk) * haze**4 * (1.0 - haze**40)
    under = 0.3 + 0.7 * math.exp(8.0 * y) if y < 0.0 else 1.0  # below the horizon it darkens
    red = under * (light[ZENITH, 0] + (light[HORIZON, 0] + low * light[GLOW, 0] - light[ZENITH, 0]) * haze)
    green = under * (light[ZENITH, 1] + (light[HORIZON, 1] + low * light[GLOW, 1] - light[ZENITH, 1]) * haze)
    blue = under * (light[ZENITH, 2] + (light[HORIZON, 2] + low * light[GLOW, 2] - light[ZENITH, 2]) * haze)
    return red, green, blue


@njit(cache=True, inline="always")
def _surface(name, place, vertices, normals, paint, local, faces, places, radius, disc_paint, normal, colour):
    """The normal and the paint of what is seen at a place: a triangle's, by the shares of its corners, or a ball's.
    Returns how bright its roughness makes it there, were it rough."""
    if name < NOTHING:
        i = -2 - name
        for c in range(3):
            normal[c] = (place[c] - places[i, c]) / max(radius[i], 1e-9)
            colour[c] = disc_paint[i, c]
        return 1.0
    a, b, c = faces[name, 0], faces[name, 1], faces[name, 2]
    pp, pq, qq, op, oq = 0.0, 0.0, 0.0, 0.0, 0.0
    for e in range(3):
        p, q = vertices[b, e] - vertices[a, e], vertices[c, e] - vertices[a, e]
        off = place[e] - vertices[a, e]
        pp, pq, qq, op, oq = pp + p * p, pq + p * q, qq + q * q, op + off * p, oq + off * q
    under = pp * qq - pq * pq + 1e-300
    v, w = (qq * op - pq * oq) / under, (pp * oq - pq * op) / under
    u = 1.0 - v - w
    for e in range(3):
        normal[e] = u * normals[a, e] + v * normals[b, e] + w * normals[c, e]
        colour[e] = u * paint[a, e] + v * paint[b, e] + w * paint[c, e]
    return _roughness(
        u * local[a, 0] + v * local[b, 0] + w * local[c, 0], u * local[a, 1] + v * local[b, 1] + w * local[c, 1],
        u * local[a, 2] + v * local[b, 2] + w * local[c, 2],
    )  # fmt: skip


@njit(cache=True, parallel=True, nogil=True)
def lit(
    image, fire, depth, which, eye, axes, tan, vertices, normals, paint, local, faces, look_of, places, radius,
    disc_paint, disc_look, looks, light, haze, key_camera, key_map, cast, cast_frame, lamps, cameras, maps,
):  # fmt: skip
    """The light that reaches a camera, into image (rows, columns, 3), and what glows as an ember into fire.

    haze is how far away a share of 1 - 1/e of what is seen is haze, metres; `looks`, `light`, `lamps` and `cameras`
    have the columns and rows that stand above."""
    rows, columns = depth.shape
    for n in prange(rows):
        d, place, normal, colour = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
        r = from_all_over(n, rows)
        for k in range(columns):
            u = (2.0 * (k + 0.5) / columns - 1.0) * tan * columns / rows
            v = (1.0 - 2.0 * (r + 0.5) / rows) * tan
            for c in range(3):
                d[c] = axes[2, c] + u * axes[0, c] + v * axes[1, c]
            long = math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2])
            for c in range(3):
                place[c] = eye[c] + depth[r, k] * d[c]
                d[c] /= long
            name = which[r, k]
            if name == NOTHING:
                image[r, k, 0], image[r, k, 1], image[r, k, 2] = _backdrop(light, d[0], d[1], d[2])
                continue
            speck = _surface(
                name, place, vertices, normals, paint, local, faces, places, radius, disc_paint, normal, colour
            )
            look = disc_look[-2 - name] if name < NOTHING else look_of[name]
            size = math.sqrt(normal[0] * normal[0] + normal[1] * normal[1] + normal[2] * normal[2]) + 1e-12
            facing = -(normal[0] * d[0] + normal[1] * d[1] + normal[2] * d[2]) / size
            size = -size if facing < 0.0 else size
            facing = abs(facing)
            nx, ny, nz = normal[0] / size, normal[1] / size, normal[2] / size
            rough = speck if looks[look, ROUGH] > 0.0 else 1.0
            _reflect(
                image, fire, r, k, d, place, nx, ny, nz, facing, colour, rough, looks, look, light, key_camera,
                key_map, cast, cast_frame, lamps, cameras, maps, 1.0 - math.exp(-depth[r, k] / haze),
            )  # fmt: skip


@njit(cache=True)
def mirrored(facing):
    """The share of light that water mirrors, by the cosine of the angle that it comes in at (Schlick 1994)."""
    return 0.02 + 0.98 * (1.0 - facing) ** 5


@njit(cache=True)
def opaque(facing, clear):
    """The share of what is seen that is the water's own and the sky's in it, not what lies behind."""
    return 1.0 - clear * (1.0 - mirrored(facing))


@njit(cache=True, inline="always")
def _reflect(
    image, fire, r, k, d, place, nx, ny, nz, facing, colour, rough, looks, look, light, key_camera, key_map, cast,
    cast_frame, lamps, cameras, maps, fog,
):  # fmt: skip
    """What a surface sends to the camera, through haze (its share, `fog`)."""
    kx, ky, kz = light[KEY_FROM, 0], light[KEY_FROM, 1], light[KEY_FROM, 2]
    key, shown = max(0.0, nx * kx + ny * ky + nz * kz), 1.0
    if key > 0.0:
        shown = _shown(key_camera, key_map, 0, place[0], place[1], place[2], nx, ny, nz, True)
        shown *= past_smoke(cast, cast_frame, place[0], place[1], place[2])
    fill = max(0.0, nx * light[FILL_FROM, 0] + ny * light[FILL_FROM, 1] + nz * light[FILL_FROM, 2])
    red, green, blue = _of_lamps(lamps, cameras, maps, place[0], place[1], place[2], nx, ny, nz)
    up, clear = 0.5 + 0.5 * ny, looks[look, CLEAR]
    tx, ty, tz = d[0] + 2.0 * facing * nx, d[1] + 2.0 * facing * ny, d[2] + 2.0 * facing * nz
    shine, rim = 0.0, 0.0
    if looks[look, HIGHLIGHT] > 0.0:
        shine = looks[look, HIGHLIGHT] * shown * max(0.0, tx * kx + ty * ky + tz * kz) ** 40
        rim = looks[look, RIM] * (1.0 - facing) ** 4
    for c in range(3):
        around = up * light[SKY, c] + (1.0 - up) * light[GROUND, c]
        lamp = red if c == 0 else (green if c == 1 else blue)
        given = around + key * shown * light[KEY, c] + fill * light[FILL, c] + lamp + looks[look, GIVES]
        sent = colour[c] * rough * given + shine * light[KEY, c] + rim * around
        image[r, k, c] = sent
        if clear == 0.0:
            image[r, k, c] = sent * (1.0 - fog) + 0.8 * fog * light[HORIZON, c]
        if looks[look, FIRE] > 0.0:
            hot = 1.0 if c == 0 else (0.8 if c == 1 else 0.3)
            fire[r, k, c] = (colour[c] * (0.35 + 0.8 * facing) + 0.45 * facing**3 * hot) * rough * (1.0 - fog)
    if clear > 0.0:
        sky = _backdrop(light, tx, ty, tz)
        share = mirrored(facing) / opaque(facing, clear)
        for c in range(3):
            sent = (1.0 - share) * image[r, k, c] + share * sky[c]
            image[r, k, c] = sent * (1.0 - fog) + 0.8 * fog * light[HORIZON, c]
