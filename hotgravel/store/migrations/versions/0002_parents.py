"""each revision knows the one it was made on"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade():
    op.add_column("revisions", sa.Column("parent", sa.Integer))
    op.execute("UPDATE revisions SET parent = number - 1 WHERE number > 1")


def downgrade():
    op.drop_column("revisions", "parent")
