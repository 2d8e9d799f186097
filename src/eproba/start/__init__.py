"""What stands behind `./eproba`: machine, home, PostgreSQL, app, backups, service. The standard library alone."""
