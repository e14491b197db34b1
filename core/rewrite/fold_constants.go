package rewrite

import (
	"rovik/core/kernel"
	"rovik/core/plan"
)

// foldConstants computes the parts of expressions that read no column. A part
// that fails or takes much memory stays, so that the error comes where and if rows need it.
func foldConstants(root plan.Node, pass *Pass) plan.Node {
	return pass.rewrite(root, func(n plan.Node) plan.Node {
		return plan.MapExprs(n, func(e plan.Expr) plan.Expr { return plan.Map(e, foldConstant) })
	})
}

func foldConstant(e plan.Expr) plan.Expr {
	parts := plan.Children(e)
	if len(parts) == 0 {
		return e
	}
	for _, p := range parts {
		if _, ok := p.(*plan.Const); !ok {
			return e
		}
	}
	v, err := kernel.Constant(e)
	if err != nil {
		return e
	}
	return &plan.Const{Val: v, Typ: e.Type(), Org: e.Origin()}
}
