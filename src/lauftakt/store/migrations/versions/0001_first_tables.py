"""First tables"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "team",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_team")),
    )
    op.create_table(
        "account",
        sa.Column("email", sa.String(length=190), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("password_hash", sa.String(length=200), nullable=False),
        sa.Column("role", sa.String(length=20), nullable=False),
        sa.Column("units", sa.String(length=20), nullable=False),
        sa.Column("look", sa.String(length=20), nullable=False),
        sa.Column("shortcuts", sa.Boolean(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_account_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_account")),
        sa.UniqueConstraint("email", name=op.f("uq_account_email")),
    )
    op.create_index(op.f("ix_account_team_id"), "account", ["team_id"], unique=False)
    op.create_table(
        "car",
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_car_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_car")),
        sa.UniqueConstraint("team_id", "name", name=op.f("uq_car_team_id")),
    )
    op.create_index(op.f("ix_car_team_id"), "car", ["team_id"], unique=False)
    op.create_table(
        "driver",
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("colour", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_driver_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_driver")),
        sa.UniqueConstraint("team_id", "name", name=op.f("uq_driver_team_id")),
    )
    op.create_index(op.f("ix_driver_team_id"), "driver", ["team_id"], unique=False)
    op.create_table(
        "layout",
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("latitude", sa.Double(), nullable=False),
        sa.Column("longitude", sa.Double(), nullable=False),
        sa.Column("start", sa.JSON(), nullable=False),
        sa.Column("places", sa.JSON(), nullable=False),
        sa.Column("geometry", mysql.LONGBLOB(), nullable=True),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_layout_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_layout")),
    )
    op.create_index(op.f("ix_layout_team_id"), "layout", ["team_id"], unique=False)
    op.create_table(
        "event",
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("day", sa.String(length=10), nullable=False),
        sa.Column("layout_id", sa.Integer(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["layout_id"], ["layout.id"], name=op.f("fk_event_layout_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_event_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_event")),
        sa.UniqueConstraint("team_id", "layout_id", "day", "name", name=op.f("uq_event_team_id")),
    )
    op.create_index(op.f("ix_event_team_id"), "event", ["team_id"], unique=False)
    op.create_table(
        "run",
        sa.Column("event_id", sa.Integer(), nullable=False),
        sa.Column("driver_id", sa.Integer(), nullable=False),
        sa.Column("car_id", sa.Integer(), nullable=True),
        sa.Column("layout_id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("started_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("file_name", sa.String(length=300), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("meta", sa.JSON(), nullable=False),
        sa.Column("warnings", sa.JSON(), nullable=False),
        sa.Column("speed_scale", sa.Double(), nullable=False),
        sa.Column("delay_s", sa.Double(), nullable=False),
        sa.Column("scale", sa.JSON(), nullable=False),
        sa.Column("code_version", sa.Integer(), nullable=False),
        sa.Column("layout_version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["car_id"], ["car.id"], name=op.f("fk_run_car_id")),
        sa.ForeignKeyConstraint(["driver_id"], ["driver.id"], name=op.f("fk_run_driver_id")),
        sa.ForeignKeyConstraint(["event_id"], ["event.id"], name=op.f("fk_run_event_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["layout_id"], ["layout.id"], name=op.f("fk_run_layout_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_run_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run")),
        sa.UniqueConstraint("team_id", "sha256", name=op.f("uq_run_team_id")),
    )
    op.create_index("ix_run_day", "run", ["team_id", "event_id"], unique=False)
    op.create_index(op.f("ix_run_team_id"), "run", ["team_id"], unique=False)
    op.create_table(
        "channel",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=300), nullable=False),
        sa.Column("unit", sa.String(length=60), nullable=False),
        sa.Column("role", sa.String(length=60), nullable=True),
        sa.Column("rate_hz", sa.Double(), nullable=False),
        sa.Column("count", sa.BigInteger(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_channel_run_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_channel_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_channel")),
    )
    op.create_index(op.f("ix_channel_team_id"), "channel", ["team_id"], unique=False)
    op.create_table(
        "curves",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("role", sa.String(length=60), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("data", mysql.LONGBLOB(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_curves_run_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_curves_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_curves")),
        sa.UniqueConstraint("run_id", "role", name=op.f("uq_curves_run_id")),
    )
    op.create_index(op.f("ix_curves_team_id"), "curves", ["team_id"], unique=False)
    op.create_table(
        "hand_in",
        sa.Column("file_name", sa.String(length=300), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=False),
        sa.Column("driver_id", sa.Integer(), nullable=True),
        sa.Column("account_id", sa.Integer(), nullable=True),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("code", sa.String(length=60), nullable=True),
        sa.Column("message", sa.Text(), nullable=True),
        sa.Column("run_id", sa.Integer(), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["account_id"], ["account.id"], name=op.f("fk_hand_in_account_id"), ondelete="SET NULL"
        ),
        sa.ForeignKeyConstraint(["driver_id"], ["driver.id"], name=op.f("fk_hand_in_driver_id")),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_hand_in_run_id"), ondelete="SET NULL"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_hand_in_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_hand_in")),
    )
    op.create_index(op.f("ix_hand_in_team_id"), "hand_in", ["team_id"], unique=False)
    op.create_table(
        "lap",
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("set_aside", sa.String(length=20), nullable=True),
        sa.Column("start_s", sa.Double(), nullable=False),
        sa.Column("end_s", sa.Double(), nullable=False),
        sa.Column("time_s", sa.Double(), nullable=True),
        sa.Column("time_u_s", sa.Double(), nullable=True),
        sa.Column("sector_times", sa.JSON(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], name=op.f("fk_lap_run_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_lap_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lap")),
        sa.UniqueConstraint("run_id", "number", name=op.f("uq_lap_run_id")),
    )
    op.create_index(op.f("ix_lap_team_id"), "lap", ["team_id"], unique=False)
    op.create_table(
        "job",
        sa.Column("hand_in_id", sa.Integer(), nullable=False),
        sa.Column("state", sa.String(length=20), nullable=False),
        sa.Column("progress", sa.Double(), nullable=False),
        sa.Column("step", sa.String(length=60), nullable=False),
        sa.Column("attempts", sa.Integer(), nullable=False),
        sa.Column("cancel", sa.Boolean(), nullable=False),
        sa.Column("lease_until", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["hand_in_id"], ["hand_in.id"], name=op.f("fk_job_hand_in_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_job_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job")),
        sa.UniqueConstraint("hand_in_id", name=op.f("uq_job_hand_in_id")),
    )
    op.create_index("ix_job_due", "job", ["state", "lease_until"], unique=False)
    op.create_index(op.f("ix_job_team_id"), "job", ["team_id"], unique=False)
    op.create_table(
        "samples",
        sa.Column("channel_id", sa.Integer(), nullable=False),
        sa.Column("first", sa.BigInteger(), nullable=False),
        sa.Column("clock", mysql.LONGBLOB(), nullable=False),
        sa.Column("values", mysql.LONGBLOB(), nullable=False),
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("team_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["channel_id"], ["channel.id"], name=op.f("fk_samples_channel_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_samples_team_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_samples")),
    )
    op.create_index(op.f("ix_samples_team_id"), "samples", ["team_id"], unique=False)


def downgrade() -> None:
    op.drop_index(op.f("ix_samples_team_id"), table_name="samples")
    op.drop_table("samples")
    op.drop_index(op.f("ix_job_team_id"), table_name="job")
    op.drop_index("ix_job_due", table_name="job")
    op.drop_table("job")
    op.drop_index(op.f("ix_lap_team_id"), table_name="lap")
    op.drop_table("lap")
    op.drop_index(op.f("ix_hand_in_team_id"), table_name="hand_in")
    op.drop_table("hand_in")
    op.drop_index(op.f("ix_curves_team_id"), table_name="curves")
    op.drop_table("curves")
    op.drop_index(op.f("ix_channel_team_id"), table_name="channel")
    op.drop_table("channel")
    op.drop_index(op.f("ix_run_team_id"), table_name="run")
    op.drop_index("ix_run_day", table_name="run")
    op.drop_table("run")
    op.drop_index(op.f("ix_event_team_id"), table_name="event")
    op.drop_table("event")
    op.drop_index(op.f("ix_layout_team_id"), table_name="layout")
    op.drop_table("layout")
    op.drop_index(op.f("ix_driver_team_id"), table_name="driver")
    op.drop_table("driver")
    op.drop_index(op.f("ix_car_team_id"), table_name="car")
    op.drop_table("car")
    op.drop_index(op.f("ix_account_team_id"), table_name="account")
    op.drop_table("account")
    op.drop_table("team")
