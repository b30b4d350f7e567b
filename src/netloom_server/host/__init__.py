"""The core's Store, Journal and EventSink on Django's records: the one place where the ORM meets the engine."""
