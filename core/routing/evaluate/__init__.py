"""What a plan does: the signal model, sums, arrivals, loops, controls."""
