"""The recording as the stages listen to it: samples, bands every 5 ms, the low band."""
