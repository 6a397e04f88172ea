package dev.warmshelf.measure.report;

import dev.warmshelf.measure.survey.Gain;
import dev.warmshelf.measure.survey.Surveyed;
import dev.warmshelf.measure.survey.SurveyedStatement;
import dev.warmshelf.measure.survey.SurveyedStatement.Keepable;
import dev.warmshelf.measure.survey.SurveyedStatement.Refused;
import dev.warmshelf.measure.text.Text;
import java.io.IOException;
import java.nio.file.Path;
import java.util.Locale;

/** A survey as one HTML page. */
public final class SurveyPage {
  private final Surveyed surveyed;
  private final SurveyReport tables;

  /**
   * @param most how many statements to show
   */
  public SurveyPage(Surveyed surveyed, int most) {
    this.surveyed = surveyed;
    this.tables = new SurveyReport(surveyed, most);
  }

  /**
   * Writes it; it needs nothing beside it.
   *
   * @throws IOException if it cannot be written
   */
  public void writePage(Path file) throws IOException {
    String title = "Surveyed: which reads to keep";
    StringBuilder body = new StringBuilder("<h1>" + title + "</h1>\n");
    body.append(paragraph("", tables.headline()));
    body.append(
        "<p class=\"quiet\">Each bar is as long as the largest statement's share of the time: pale, this"
            + " one's; darker, what keeping it would save at best, likely (full), and at worst (to the"
            + " mark).</p>\n");
    double most =
        surveyed.statements().stream().mapToDouble(SurveyedStatement::share).max().orElse(1);
    for (SurveyedStatement each : tables.shown()) {
      body.append("<h2>").append(Html.escaped(each.advice().words())).append(", ");
      body.append(Text.percent(each.share())).append(" of the time &ensp;");
      body.append(bar(each, Math.max(most, 1e-9))).append("</h2>\n<pre>");
      body.append(Html.escaped(each.text().strip())).append("</pre>\n");
      tables.sentences(each).forEach(said -> body.append(paragraph("", said)));
      each.form().ifPresent(form -> body.append(paragraph("quiet", "form " + form)));
    }
    if (!tables.refused().isEmpty()) {
      body.append("<h2>Cannot be kept as they are</h2>\n");
    }
    for (SurveyedStatement each : tables.refused()) {
      body.append("<pre>").append(Html.escaped(each.text().strip())).append("</pre>\n");
      body.append(
          paragraph(
              "",
              Text.percent(each.share())
                  + " of the time. "
                  + ((Refused) each.judged()).reason()
                  + "."));
    }
    if (!surveyed.tracked().isEmpty()) {
      body.append("<h2>What the journal would follow</h2>\n<pre>");
      body.append(Html.escaped(tables.installCommand())).append("</pre>\n");
    }
    body.append("<h2>What is not known</h2>\n").append(paragraph("", SurveyReport.NOT_KNOWN));
    surveyed.limits().forEach(limit -> body.append(paragraph("", limit)));
    Html.write(file, title, body.toString());
  }

  private static String paragraph(String kind, String text) {
    return "<p"
        + (kind.isEmpty() ? "" : " class=\"" + kind + "\"")
        + ">"
        + Html.sentence(text)
        + "</p>\n";
  }

  /**
   * @param most the share that fills the bar
   */
  private static String bar(SurveyedStatement each, double most) {
    Gain gain = ((Keepable) each.judged()).byRows();
    double full = 100 * each.share() / most;
    return "<span class=\"bar\" role=\"img\" aria-label=\"saves "
        + Text.percent(each.share() * gain.likely())
        + " likely\">"
        + part(full, "background: var(--way-2); opacity: 0.3")
        + part(full * gain.best(), "background: var(--way-2); opacity: 0.35")
        + part(full * gain.likely(), "background: var(--way-2)")
        + part(full * gain.worst(), "border-right: 2px solid var(--text)")
        + "</span>";
  }

  private static String part(double percent, String style) {
    return String.format(Locale.ROOT, "<i style=\"width: %.1f%%; %s\"></i>", percent, style);
  }
}
