"""The stand-in that ships with Vetrina: mail, syslog and HTTP on loopback, kept as files, and troublesome on request."""
