"""What people do to a job: functions from a job to a new one, the history of them, and what follows from each."""
