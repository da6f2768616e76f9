"""How a run on wheels went: numbers, events, and one sentence that names the cause."""
