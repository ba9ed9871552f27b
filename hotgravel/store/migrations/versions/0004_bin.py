"""a bin for shots and runs, settings, and notices of what was removed"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade():
    op.add_column("shots", sa.Column("binned", sa.DateTime))
    op.add_column("runs", sa.Column("binned", sa.DateTime))
    op.create_table(
        "settings",
        sa.Column("name", sa.String, primary_key=True),
        sa.Column("value", sa.JSON),
    )
    op.create_table(
        "notices",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("made", sa.DateTime, nullable=False),
        sa.Column("text", sa.String, nullable=False),
    )


def downgrade():
    op.drop_table("notices")
    op.drop_table("settings")
    op.drop_column("runs", "binned")
    op.drop_column("shots", "binned")
