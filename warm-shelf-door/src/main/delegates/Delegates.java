import com.sun.source.util.JavacTask;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import javax.lang.model.element.ExecutableElement;
import javax.lang.model.element.Modifier;
import javax.lang.model.element.TypeElement;
import javax.lang.model.element.TypeParameterElement;
import javax.lang.model.element.VariableElement;
import javax.lang.model.type.TypeKind;
import javax.lang.model.util.ElementFilter;
import javax.lang.model.util.Elements;
import javax.tools.JavaCompiler;
import javax.tools.ToolProvider;

/**
 * Writes classes that pass every call of a JDBC interface on to another object, as the build begins:
 * what wraps such an object then says only what it does otherwise. The methods are those of the
 * release that is compiled for, whatever JDK compiles. What each does stands in {@code
 * decisions.txt}; what does not stand there is told as something that nobody understands.
 */
public final class Delegates {
  private static final String PACKAGE = "dev.warmshelf.door";

  /**
   * @param superclass null for none; else it passes on what its own interface has
   */
  private record Delegate(String name, String of, String superclass) {}

  private static final List<Delegate> ALL =
      List.of(
          new Delegate("DelegatingArray", "java.sql.Array", null),
          new Delegate("DelegatingBlob", "java.sql.Blob", null),
          new Delegate("DelegatingClob", "java.sql.Clob", null),
          new Delegate("DelegatingResultSet", "java.sql.ResultSet", null),
          new Delegate("DelegatingConnection", "java.sql.Connection", null),
          new Delegate("DelegatingStatement", "java.sql.Statement", null),
          new Delegate(
              "DelegatingPreparedStatement", "java.sql.PreparedStatement", "ShelvedStatement"),
          new Delegate(
              "DelegatingCallableStatement",
              "java.sql.CallableStatement",
              "ShelvedPreparedStatement"));

  private final Elements elements;

  /** By decision and interface, the methods. */
  private final Map<String, Set<String>> decided = new HashMap<>();

  private Delegates(Elements elements, List<String> decisions) {
    this.elements = elements;
    for (String line : decisions) {
      String[] words = line.split(" ");
      if (words.length > 2 && !line.startsWith("#")) {
        decided
            .computeIfAbsent(words[1] + " " + words[0], of -> new HashSet<>())
            .addAll(List.of(words).subList(2, words.length));
      }
    }
  }

  public static void main(String[] args) throws IOException {
    String release = args[0];
    Path folder = Path.of(args[1]).resolve(PACKAGE.replace('.', '/'));
    Files.createDirectories(folder);
    JavaCompiler compiler = ToolProvider.getSystemJavaCompiler();
    JavacTask task =
        (JavacTask)
            compiler.getTask(
                null, null, null, List.of("--release", release), List.of("java.lang.Object"), null);
    Delegates delegates =
        new Delegates(task.getElements(), Files.readAllLines(Path.of(args[2])));
    for (Delegate each : ALL) {
      Path file = folder.resolve(each.name() + ".java");
      String text = delegates.text(each);
      if (!Files.exists(file) || !Files.readString(file).equals(text)) {
        Files.writeString(file, text);
      }
    }
  }

  private String text(Delegate made) {
    TypeElement type = elements.getTypeElement(made.of());
    StringBuilder out = new StringBuilder("package " + PACKAGE + ";\n\n");
    out.append("/** Passes on every call. Made by Delegates.java. */\n");
    out.append("@org.jspecify.annotations.NullUnmarked\n@SuppressWarnings(\"deprecation\")\n");
    out.append("abstract class ").append(made.name());
    if (made.superclass() == null) {
      out.append(" implements ").append(made.of()).append(" {\n");
      out.append("  abstract ").append(made.of()).append(" delegate() throws java.sql.SQLException;\n");
      out.append("\n  /** Whose it is. */\n");
      out.append("  abstract ShelvedConnection owner();\n");
      out.append("\n  /** What is wrapped is about to be used in a way that nobody tells of. */\n");
      out.append("  void isHandedOut() {\n    owner().isHandedOut();\n  }\n");
    } else {
      out.append(" extends ").append(made.superclass());
      out.append(" implements ").append(made.of()).append(" {\n");
      out.append("  @Override\n  ").append(made.of());
      out.append(" delegate() throws java.sql.SQLException {\n    return (").append(made.of());
      out.append(") super.delegate();\n  }\n");
      constructors(made, out);
    }
    for (ExecutableElement method : methods(type, made.superclass() == null)) {
      pass(method, made, out);
    }
    return out.append("}\n").toString();
  }

  /** Superclasses that are written by hand are made with what stands here. */
  private static void constructors(Delegate made, StringBuilder out) {
    boolean first = made.superclass().equals("ShelvedStatement");
    out.append("\n  ").append(made.name());
    out.append("(ShelvedConnection connection, StatementShape shape");
    out.append(first ? ")" : ", StatementFacts facts)");
    out.append(" {\n    super(connection, shape").append(first ? "" : ", facts");
    out.append(");\n  }\n");
    if (first) {
      out.append("\n  abstract void setOpaque(int at, Parameters.Setter setter)");
      out.append(" throws java.sql.SQLException;\n");
    }
  }

  private List<ExecutableElement> methods(TypeElement type, boolean inherited) {
    List<ExecutableElement> all =
        new ArrayList<>(
            ElementFilter.methodsIn(
                inherited ? elements.getAllMembers(type) : type.getEnclosedElements()));
    all.removeIf(
        method ->
            method.getModifiers().contains(Modifier.STATIC)
                || method.getEnclosingElement().toString().equals("java.lang.Object"));
    return all;
  }

  /**
   * What binds a value is told to the statement as something that it does not understand, unless it
   * says otherwise.
   */
  private static boolean binds(ExecutableElement method, Delegate made) {
    return made.name().equals("DelegatingPreparedStatement")
        && method.getSimpleName().toString().startsWith("set")
        && method.getParameters().get(0).asType().getKind() == TypeKind.INT;
  }

  private void pass(ExecutableElement method, Delegate made, StringBuilder out) {
    String parameters =
        method.getParameters().stream()
            .map(each -> typeOf(each, method) + " " + each.getSimpleName())
            .collect(Collectors.joining(", "));
    String arguments =
        method.getParameters().stream()
            .map(each -> each.getSimpleName().toString())
            .collect(Collectors.joining(", "));
    String thrown =
        method.getThrownTypes().stream().map(Object::toString).collect(Collectors.joining(", "));
    String types =
        method.getTypeParameters().stream()
            .map(TypeParameterElement::toString)
            .collect(Collectors.joining(", "));
    boolean gives = method.getReturnType().getKind() != TypeKind.VOID;
    boolean canThrow = thrown.contains("SQLException");
    out.append("\n  @Override\n  public ");
    out.append(types.isEmpty() ? "" : "<" + types + "> ");
    out.append(method.getReturnType()).append(' ').append(method.getSimpleName());
    out.append('(').append(parameters).append(')');
    out.append(thrown.isEmpty() ? "" : " throws " + thrown).append(" {\n    ");
    if (!canThrow) {
      out.append("try {\n      ");
    }
    if (!is("passes", method, made) && !is("by-hand", method, made) && !is("wraps", method, made)) {
      out.append("isHandedOut();\n    ");
    }
    if (binds(method, made)) {
      out.append("setOpaque(arg0, (statement, at) -> statement.").append(method.getSimpleName());
      out.append("(at").append(arguments.substring("arg0".length())).append("));\n");
    } else {
      String call = "delegate()." + method.getSimpleName() + "(" + arguments + ")";
      if (is("wraps", method, made)) { // as the type that was asked for, if one was
        String asked = types.isEmpty() ? "" : arguments.substring(arguments.lastIndexOf(','));
        call = "owner().wrapped(" + call + asked + ")";
      }
      out.append(gives ? "return " : "").append(call).append(";\n");
    }
    if (!canThrow) {
      out.append("    } catch (java.sql.SQLException e) {\n");
      out.append("      throw new IllegalStateException(e);\n    }\n");
    }
    out.append("  }\n");
  }

  private boolean is(String decision, ExecutableElement method, Delegate made) {
    return decided
        .getOrDefault(decision + " " + made.of(), Set.of())
        .contains(method.getSimpleName().toString());
  }

  private static String typeOf(VariableElement parameter, ExecutableElement method) {
    boolean last = method.getParameters().indexOf(parameter) == method.getParameters().size() - 1;
    String type = parameter.asType().toString();
    return last && method.isVarArgs() ? type.replaceAll("\\[]$", "...") : type;
  }
}
