"""A rig that is live: its connection, what comes in over it, what is recorded, held and looked at."""
