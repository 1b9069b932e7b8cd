"""The reckoner: figures without a job."""
