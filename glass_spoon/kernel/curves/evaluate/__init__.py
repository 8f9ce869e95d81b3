"""What a curve is, and its values: points, derivatives, lengths, closest places."""
