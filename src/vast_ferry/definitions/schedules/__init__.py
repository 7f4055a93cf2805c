"""The spellings of schedules: cron lines, phrases, RFC 5545 rules, ISO 8601 intervals."""
