"""What Emblar runs on: settings, database, tables, migrations, sound files, backup, logs."""
