package dev.warmshelf.measure.report;

import dev.warmshelf.measure.text.Text;
import java.awt.Font;
import java.text.FieldPosition;
import java.text.NumberFormat;
import java.text.ParsePosition;
import java.util.Locale;
import java.util.function.DoubleFunction;
import org.jfree.chart.axis.LogAxis;
import org.jfree.chart.axis.NumberTickUnit;
import org.jfree.chart.axis.ValueAxis;
import org.jfree.data.Range;
import org.jspecify.annotations.Nullable;

/** Axes, and what stands at their ticks. */
final class AxisTicks {
  static final NumberFormat NANOS = of(value -> plain(Text.nanos(Math.round(value))));
  static final NumberFormat BYTES = of(value -> plain(Text.bytes(Math.round(value))));
  static final NumberFormat PLAIN =
      of(value -> value < 1 ? String.format(Locale.ROOT, "%.1g", value) : Text.count((long) value));

  /** {@code n} nines: 0 %, 90 %, 99 %, 99.9 %. */
  static final NumberFormat NINES =
      of(
          nines -> {
            double percent = 100 * (1 - Math.pow(10, -nines));
            return String.format(
                Locale.ROOT, "%." + Math.max(0, (int) Math.round(nines) - 2) + "f %%", percent);
          });

  private static final Font SMALL = new Font(Font.SANS_SERIF, Font.PLAIN, 11);
  static final Font LABEL = new Font(Font.SANS_SERIF, Font.PLAIN, 12);

  private AxisTicks() {}

  /** A logarithmic axis with a tick at each power of a base. */
  static LogAxis logarithmic(String label, int base, NumberFormat format) {
    LogAxis axis =
        new LogAxis(label) {
          private static final long serialVersionUID = 1L;

          /** Where all values are the same, a power of the base to each side. */
          @Override
          public void setRange(Range range, boolean turnOffAutoRange, boolean notify) {
            super.setRange(
                range.getLength() > 0
                    ? range
                    : new Range(range.getLowerBound() / base, range.getUpperBound() * base),
                turnOffAutoRange,
                notify);
          }
        };
    axis.setBase(base);
    axis.setTickUnit(new NumberTickUnit(1, format));
    axis.setNumberFormatOverride(format);
    dress(axis);
    return axis;
  }

  static void dress(ValueAxis axis) {
    axis.setLabelFont(LABEL);
    axis.setTickLabelFont(SMALL);
    axis.setLabelPaint(Inks.FAINT);
    axis.setTickLabelPaint(Inks.TEXT);
    axis.setAxisLinePaint(Inks.FAINT);
    axis.setTickMarkPaint(Inks.FAINT);
  }

  /** Powers need no digits after the point. */
  private static String plain(String text) {
    return text.replaceFirst("\\.0+(?= )", "");
  }

  private static NumberFormat of(DoubleFunction<String> text) {
    return new NumberFormat() {
      private static final long serialVersionUID = 1L;

      @Override
      public StringBuffer format(double number, StringBuffer out, FieldPosition at) {
        return out.append(text.apply(number));
      }

      @Override
      public StringBuffer format(long number, StringBuffer out, FieldPosition at) {
        return format((double) number, out, at);
      }

      @Override
      public @Nullable Number parse(String source, ParsePosition at) {
        throw new UnsupportedOperationException("ticks are only written");
      }
    };
  }
}
