"""What a page that is handed over holds of a plan and a recording: enough to try levels, switches and bounds without them."""
