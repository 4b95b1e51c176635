"""The history keeps what differs: versions before this one do not know how to read that."""

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """The tables stay as they are."""
