package dev.warmshelf.boot;

import org.springframework.boot.autoconfigure.SpringBootApplication;

/** A service as many are. */
@SpringBootApplication
public class BerthService {}
