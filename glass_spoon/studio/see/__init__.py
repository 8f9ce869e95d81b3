"""What is seen of a part, read and worked out from a build for the board, the gauges and pictures; nothing is saved here."""
