"""The simulated board: physics from the core, noise from a seeded generator, faults by name. A process of its
own."""
