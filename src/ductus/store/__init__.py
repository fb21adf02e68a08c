"""SQLite through plain SQL: one module owns each table, the caller owns the transaction."""
