"""The Sereno ropeway: plans, a week of events and log files for the tour. All of it is made up."""
