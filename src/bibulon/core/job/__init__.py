"""The job document: what a fabricator decided and measured."""
