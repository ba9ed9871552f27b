"""runs can be pinned"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade():
    op.add_column("runs", sa.Column("pinned", sa.Boolean, nullable=False, server_default=sa.false()))


def downgrade():
    op.drop_column("runs", "pinned")
