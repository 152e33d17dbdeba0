"""PostgreSQL: tables, sessions, migrations, and the private cluster that the launcher runs."""
