use super::{How, Module, Open};
use rstest::rstest;

fn takes(source: &str) -> Vec<String> {
    let read = Module::read(source.as_bytes());
    let told = read.takes.iter().map(|t| {
        let dots = ".".repeat(usize::from(t.level));
        let how = match t.how {
            How::Import => "import",
            How::From => "from",
            How::Use => "use",
            How::Annotation => "annotation",
        };
        format!("{}:{how} {dots}{} {}", t.line, t.module, t.path.join("."))
            .trim_end()
            .to_owned()
    });
    told.collect()
}

#[rstest]
#[case::plain("import firn", &["1:import firn"])]
#[case::dotted("import firn.depth as d\nx = d.LAYER", &["1:import firn.depth", "2:use firn.depth LAYER"])]
#[case::several("import firn, radar.core", &["1:import firn", "1:import radar.core"])]
#[case::from("from firn import depth, layer as l", &["1:from firn depth", "1:from firn layer"])]
#[case::over_lines("from firn import (\n  depth,\n  layer,\n)", &["2:from firn depth", "3:from firn layer"])]
#[case::relative("from .core import a\nfrom .. import b", &["1:from .core a", "2:from .. b"])]
#[case::star("from firn import *", &["1:import firn"])]
#[case::base_class("import firn\nclass A(firn.Base):\n  x = firn.DEPTH\n", &["1:import firn", "2:use firn Base", "3:use firn DEPTH"])]
#[case::decorator("import firn\n@firn.register('x')\ndef f():\n  firn.no()\n", &["1:import firn", "2:use firn register"])]
#[case::default("import firn\ndef f(a=firn.DEPTH, *, b: firn.Kind = 1) -> firn.Out:\n  pass\n",
    &["1:import firn", "2:use firn DEPTH", "2:annotation firn Kind", "2:annotation firn Out"])]
#[case::annotations_kept("from __future__ import annotations\nimport firn\ndef f(a: firn.Kind): pass", &["2:import firn"])]
#[case::text_annotation("import firn\nx: 'firn.Kind' = 1", &["1:import firn"])]
#[case::guarded("try:\n  import firn\nexcept ImportError:\n  firn = None\nx = firn.y", &[])]
#[case::under_if("if x:\n  import firn\n", &[])]
#[case::typing_only("if TYPE_CHECKING:\n  from firn import a\n", &[])]
#[case::with_("with quiet():\n  import firn\n", &[])]
#[case::in_function("def f():\n  import firn\n", &[])]
#[case::in_method("class A:\n  def f(self):\n    import firn\n", &[])]
#[case::in_class("class A:\n  import firn\n", &["2:import firn"])]
#[case::bound_twice("import firn\nfirn = wrap(firn)\nx = firn.y", &["1:import firn"])]
#[case::perhaps_bound_twice("import firn\ntry:\n  import other as firn\nexcept E: pass\nx = firn.y", &["1:import firn"])]
#[case::alternative("import firn\nx = firn.a if y else firn.b\nz = firn.c or firn.d", &["1:import firn", "3:use firn c"])]
#[case::later("import firn\nf = lambda: firn.a\ng = [firn.b for i in x]", &["1:import firn"])]
#[case::deep("import firn\nx = firn.core.LAYERS[0].top", &["1:import firn", "2:use firn core.LAYERS"])]
#[case::of_a_call("import firn\nx = firn.make().part", &["1:import firn", "2:use firn make"])]
#[case::set("import firn\nfirn.depth = 1", &["1:import firn"])]
#[case::after_the_end("import firn\nraise SystemExit\nimport radar", &["1:import firn"])]
#[case::old_print("import firn\nprint 'x', firn.a\n", &["1:import firn", "2:use firn a"])]
#[case::old_except("import firn\ntry:\n  pass\nexcept E, e:\n  pass\n", &["1:import firn"])]
fn what_is_taken_whatever_happens(#[case] source: &str, #[case] expected: &[&str]) {
    assert_eq!(takes(source), expected);
}

#[rstest]
#[case::branches("if x:\n  a = 1\nelif y:\n  b = 1\nelse:\n  c = 1\n", &["a", "b", "c"])]
#[case::try_("try:\n  import a\nexcept E as b:\n  c = 1\nelse:\n  d = 1\nfinally:\n  e = 1\n", &["a", "b", "c", "d", "e"])]
#[case::loops("for a, (b, *c) in x:\n  d = 1\nwhile x:\n  e = 1\n", &["a", "b", "c", "d", "e"])]
#[case::with_("with f() as a, g() as (b, c):\n  d = 1\n", &["a", "b", "c", "d"])]
#[case::match_("match x:\n  case {'k': a}:\n    b = 1\n  case C(d=e):\n    pass\n", &["a", "b", "e"])]
#[case::several("a = b = 1\nc, (d, *e) = x\nf: int = 1\ng += 1\n", &["a", "b", "c", "d", "e", "f", "g"])]
#[case::definitions("def a(): pass\nasync def b(): pass\nclass c: pass\n@x\ndef d(): pass\n", &["a", "b", "c", "d"])]
#[case::imports("import a.x\nimport p.q as b\nfrom r import c, s as d\n", &["a", "b", "c", "d"])]
#[case::within("if (a := f()):\n  pass\nx = [b := 1, 2]\n", &["a", "b", "x"])]
#[case::by_functions("def f():\n  global a, b\n  a = b = 1\n", &["a", "b", "f"])]
#[case::kinds("type a = int\n", &["a"])]
#[case::nested("if x:\n  if y:\n    def a(): pass\n", &["a"])]
fn any_branch_may_bind(#[case] source: &str, #[case] expected: &[&str]) {
    let read = Module::read(source.as_bytes());
    let missing: Vec<_> = expected.iter().filter(|n| !read.gives(n)).collect();
    assert!(missing.is_empty(), "{missing:?} of {:?}", read.names);
    assert_eq!(read.open, None);
}

#[rstest]
#[case::star("from firn import *", Some(Open::Star))]
#[case::answers("def __getattr__(name): pass", Some(Open::Answers))]
#[case::answers_made("__getattr__, __dir__ = attach(__name__)", Some(Open::Answers))]
#[case::method_answers("class A:\n  def __getattr__(self, n): pass", None)]
#[case::globals("for n in x:\n  globals()[n] = 1", Some(Open::Writes))]
#[case::executes("exec(text)", Some(Open::Executes))]
#[case::executes_as_before("exec text in d", Some(Open::Executes))]
#[case::broken("def f(:\n  x = = 1\nimport firn\n", Some(Open::Unread))]
#[case::function_executes("def f():\n  exec(text)", None)]
fn more_names_may_be_there(#[case] source: &str, #[case] open: Option<Open>) {
    assert_eq!(Module::read(source.as_bytes()).open, open);
}

#[test]
fn what_cannot_be_read_takes_nothing() {
    assert_eq!(takes("import firn\ndef f(:\n x = = 2\n"), [""; 0]);
}

#[rstest]
#[case(0, "firn", "radar", Some("firn"))]
#[case(1, "", "radar.core", Some("radar.core"))]
#[case(1, "a", "radar.core", Some("radar.core.a"))]
#[case(2, "a", "radar.core", Some("radar.a"))]
#[case(3, "a", "radar.core", None)]
#[case(1, "a", "", None)]
fn relative_names_are_resolved(
    #[case] level: u8,
    #[case] module: &str,
    #[case] package: &str,
    #[case] expected: Option<&str>,
) {
    let take = super::Take {
        level,
        module: module.to_owned(),
        path: Vec::new(),
        line: 1,
        how: How::Import,
    };
    assert_eq!(take.absolute(package).as_deref(), expected);
}

#[rstest]
#[case::brackets("x = ", "(", ")")]
#[case::sums("x = 1", " + 1", "")]
#[case::attributes("x = f()", ".a", "")]
#[case::calls("x = f", "(f", ")")]
#[case::assignments("x", " = x", "")]
#[case::suites("", "if x:\n", "")]
fn depth_is_borne(#[case] before: &str, #[case] more: &str, #[case] after: &str) {
    let source = format!("{before}{}{}", more.repeat(20_000), after.repeat(20_000));
    // A thread with as little room as those have that read many files at once.
    let read = std::thread::Builder::new()
        .stack_size(2 << 20)
        .spawn(move || Module::read(source.as_bytes()));
    assert!(read.unwrap().join().is_ok());
}

mod any_source {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn is_read(text in "(import|from|class|def|if|try|with|as|lambda|firn|x|\\.|,|=|:|\\(|\\)|\\[|\\]|'|\n| |\t|@|\\*){0,80}") {
            let read = Module::read(text.as_bytes());
            prop_assert!(read.names.is_sorted());
            prop_assert!(read.takes.iter().all(|t| t.line >= 1));
        }
    }
}
