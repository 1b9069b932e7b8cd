"""The stations of the way through a job, one file each."""
