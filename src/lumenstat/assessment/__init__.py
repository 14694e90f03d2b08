"""What the trainee did, judged: pure functions of an exercise and a log."""
