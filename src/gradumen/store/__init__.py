"""MariaDB: tables, queries, the unit of work, migrations."""
