package main

func replies() error { return nil }
