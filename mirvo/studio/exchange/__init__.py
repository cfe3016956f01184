"""Records that go to and come from other studios and programs."""
