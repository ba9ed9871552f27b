"""shots, revisions, runs, gauges"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade():
    op.create_table(
        "shots",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("camera", sa.JSON),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("changed", sa.DateTime, nullable=False),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shots.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("document", sa.JSON, nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
        sa.UniqueConstraint("shot_id", "number"),
    )
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shots.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("quality", sa.String, nullable=False),
        sa.Column("fingerprint", sa.String, nullable=False, index=True),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("message", sa.String, nullable=False),
        sa.Column("first", sa.Integer, nullable=False),
        sa.Column("last", sa.Integer, nullable=False),
        sa.Column("landed", sa.Integer, nullable=False),
        sa.Column("made", sa.DateTime, nullable=False),
        sa.Column("started", sa.DateTime),
        sa.Column("ended", sa.DateTime),
    )
    op.create_table(
        "gauges",
        sa.Column("run_id", sa.Integer, sa.ForeignKey("runs.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("frame", sa.Integer, primary_key=True),
        sa.Column("measured", sa.JSON, nullable=False),
    )


def downgrade():
    for table in ("gauges", "runs", "revisions", "shots"):
        op.drop_table(table)
