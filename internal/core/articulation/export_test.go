package articulation

// EachStandIn visits every name in the table of what stands in for what.
func EachStandIn(visit func(name string)) {
	for name, list := range standins {
		visit(name)
		for _, n := range list {
			visit(n)
		}
	}
}
