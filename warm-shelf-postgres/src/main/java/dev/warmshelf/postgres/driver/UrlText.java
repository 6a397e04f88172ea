package dev.warmshelf.postgres.driver;

import java.util.regex.Pattern;

/** What a database's URL gives away. Stateless. */
public final class UrlText {
  private static final Pattern WHO = Pattern.compile("^([^?]*//)[^/?]*@");
  private static final Pattern WHO_WITH_SECRET = Pattern.compile("//[^/?]*:[^/?]*@");
  private static final Pattern PARAMETERS = Pattern.compile("[?].*", Pattern.DOTALL);
  private static final Pattern PASSWORD =
      Pattern.compile("(?:pass(?:word|wd)?|pwd|secret)\\s*=", Pattern.CASE_INSENSITIVE);

  private UrlText() {}

  /** Whether it holds a password: before its host as in RFC 3986, section 3.2.1, or after it. */
  public static boolean holdsPassword(String url) {
    return WHO_WITH_SECRET.matcher(url).find() || PASSWORD.matcher(url).find();
  }

  /** The URL as it may be shown: without users, passwords and parameters. */
  public static String shown(String url) {
    return WHO.matcher(PARAMETERS.matcher(url).replaceFirst("")).replaceFirst("$1");
  }
}
