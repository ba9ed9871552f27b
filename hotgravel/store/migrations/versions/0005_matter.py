"""gauges by matter; those of runs made before are of particles"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
GAUGES = sa.table(
    "gauges", sa.column("run_id", sa.Integer), sa.column("frame", sa.Integer), sa.column("measured", sa.JSON)
)
OLD = ("mean_speed", "greatest_speed", "kinetic_energy", "touches")


def _change(turn):
    connection = op.get_bind()
    for run, frame, measured in connection.execute(sa.select(GAUGES)).all():
        here = (GAUGES.c.run_id == run) & (GAUGES.c.frame == frame)
        connection.execute(GAUGES.update().where(here).values(measured=turn(measured)))


def _by_matter(measured):
    if "matter" in measured:
        return measured
    of = {"count": measured["particles"]} | {name: measured[name] for name in OLD}
    return {n: v for n, v in measured.items() if n not in (*OLD, "particles")} | {"matter": {"particles": of}}


def _flat(measured):
    of = dict(measured["matter"].get("particles", {"count": 0} | dict.fromkeys(OLD, 0.0)))
    return {n: v for n, v in measured.items() if n != "matter"} | {"particles": of.pop("count")} | of


def upgrade():
    _change(_by_matter)


def downgrade():
    _change(_flat)
