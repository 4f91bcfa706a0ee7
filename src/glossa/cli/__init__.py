"""The command line: reads arguments, calls the library, prints."""
