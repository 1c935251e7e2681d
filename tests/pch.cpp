// A precompiled header belongs to a target with a source.
