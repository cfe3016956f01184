"""How the root finder's small model is trained: scenes, samples, the network, and its figures."""
