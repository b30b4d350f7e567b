"""The engine: commands in, events out, as plain data. It knows its host by Store, Journal and EventSink alone."""
