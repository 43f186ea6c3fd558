"""What a patch will do in the next minutes or hours: heard ahead, told in figures, judged."""
