package dev.warmshelf.postgres.tree;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import dev.warmshelf.postgres.tree.TreeNode.UnreadableException;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

class TreeNodeTest {
  @Test
  void fieldsAreReadAsWhatTheyAre() {
    TreeNode node =
        TreeNode.read(
                "(({CONST :consttype 23 :isnull false :none <> :cols (b 8 9) :oids (o 16384 25)"
                    + " :names (\"a\\ b\" \"c\\)\") :value 4 [ -111 37 0 0 ] :alias odd\\ name\\:"
                    + " :args ({VAR :varno 1} ({PARAM :paramid 2})) :expr {VAR :varno 3}}))")
            .get(0);
    assertThat(node.name()).isEqualTo("CONST");
    assertThat(node.oid("consttype")).isEqualTo(23);
    assertThat(node.oid("missing")).isZero();
    assertThat(node.flag("isnull")).isFalse();
    assertThat(node.has("none")).isFalse();
    assertThat(node.numbers("cols")).containsExactly(8L, 9L);
    assertThat(node.numbers("oids")).containsExactly(16384L, 25L);
    assertThat(node.texts("names")).containsExactly("a b", "c)");
    assertThat(node.bytes("value")).containsExactly(-111, 37, 0, 0);
    assertThat(node.bytes("expr")).isNull();
    assertThat(node.text("alias")).isEqualTo("odd name:");
    assertThat(node.nodes("args").stream().map(TreeNode::name)).containsExactly("VAR", "PARAM");
    assertThat(node.node("expr")).isNotNull();
  }

  @Test
  void aFieldsValueMayBeginLikeAField() {
    TreeNode node = TreeNode.read("{ALIAS :aliasname :x :colnames <>}").get(0);
    assertThat(node.text("aliasname")).isEqualTo(":x");
    assertThat(node.has("colnames")).isFalse();
  }

  @Test
  void olderNamesAreReadAsLaterOnes() {
    assertThat(TreeNode.read("{RTE :rtekind 0}").get(0).is("RANGETBLENTRY")).isTrue();
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"", "{VAR", "(", "{VAR :varno 1}}", "{VAR varno 1}", ")", "{VAR :varno [ 1", "{"})
  void whatIsInAnotherNotationIsAnError(String text) {
    assertThatThrownBy(() -> TreeNode.read(text)).isInstanceOf(UnreadableException.class);
  }

  @Test
  void deepNestingIsAnErrorAndNoOverflow() {
    String deep = "(".repeat(100_000) + ")".repeat(100_000);
    assertThatThrownBy(() -> TreeNode.read(deep)).isInstanceOf(UnreadableException.class);
  }

  @Test
  void aNodeOrAFieldThatIsNotKnownHasNoRole() {
    Grammar grammar = Grammar.standard();
    TreeNode known = TreeNode.read("{OPEXPR :opno 96 :novelty 7}").get(0);
    assertThat(grammar.role(known, "opno")).isEqualTo(Grammar.Role.OPERATOR);
    assertThat(grammar.role(known, "novelty")).isNull();
    assertThat(grammar.knows(TreeNode.read("{NOVELTY :a 1}").get(0))).isFalse();
    assertThat(Grammar.of(List.of("A b=fn c")).role(TreeNode.read("{A :b 1}").get(0), "b"))
        .isEqualTo(Grammar.Role.FUNCTION);
  }
}
