package house

import (
	"go/ast"
	"go/parser"
	"go/token"
	"strings"
	"testing"

	"golang.org/x/tools/go/packages"
)

// Whatever has changed, everything still fits together, its tests too. Types are checked
// from the sources, which takes seconds where compiling all of it takes a minute.
func TestAllTypesFit(t *testing.T) {
	t.Parallel()
	if !testing.Short() {
		t.Skip("where everything is compiled, its types are checked")
	}
	all, err := packages.Load(&packages.Config{
		Dir:       root(),
		Tests:     true,
		Mode:      packages.NeedName | packages.NeedCompiledGoFiles | packages.NeedImports | packages.NeedDeps | packages.NeedTypes | packages.NeedSyntax | packages.NeedTypesInfo | packages.NeedTypesSizes,
		ParseFile: withoutOthersBodies,
	}, "./...")
	if err != nil {
		t.Fatal(err)
	}
	if len(all) < 100 {
		t.Errorf("only %d packages were found", len(all))
	}
	for _, p := range all {
		if strings.HasSuffix(p.ID, ".test") {
			continue // the main function of its tests, which is made
		}
		for _, e := range p.Errors {
			t.Error(e)
		}
	}
}

// withoutOthersBodies reads a file; of a library what it declares is enough.
func withoutOthersBodies(fset *token.FileSet, name string, src []byte) (*ast.File, error) {
	file, err := parser.ParseFile(fset, name, src, parser.AllErrors|parser.SkipObjectResolution)
	if file == nil || strings.HasPrefix(name, root()) {
		return file, err
	}
	for _, d := range file.Decls {
		if f, ok := d.(*ast.FuncDecl); ok {
			f.Body = nil
		}
	}
	return file, err
}
