"""What can be said of finished sound: pure functions."""
