"""What is kept: people, exercises, runs and their events, in SQLite."""
