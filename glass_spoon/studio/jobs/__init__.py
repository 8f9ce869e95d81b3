"""Jobs: work for workers. A row says what was asked, how far it is and what came of it; a kind says what does it."""
