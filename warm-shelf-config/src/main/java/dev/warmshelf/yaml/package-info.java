/** YAML files that know their lines. */
@NullMarked
package dev.warmshelf.yaml;

import org.jspecify.annotations.NullMarked;
