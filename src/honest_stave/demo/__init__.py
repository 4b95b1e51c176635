"""The demo scenario: made-up music, played by made-up people, its truth known to the tests."""
