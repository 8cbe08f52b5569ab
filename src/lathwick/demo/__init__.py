"""The demo: a script and its table, copied by `lathwick demo`."""
