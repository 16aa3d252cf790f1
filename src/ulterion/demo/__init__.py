"""The demo: a field kit for sound archivists.  All makers, products and figures are invented."""
