"""A rig run before it runs: a world, a vehicle, readings made of both, and a behaviour that acts on them."""
