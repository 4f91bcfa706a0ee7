"""Programs that use the library as a user would."""
