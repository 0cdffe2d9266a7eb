package embed

// eachProcessor does something as on a processor without wide registers, with those of AVX2, with those of AVX-512, and with VNNI: as far as
// this one has them.
func eachProcessor(do func(name string)) {
	a, b, c := wide, wider, widest
	defer func() { wide, wider, widest = a, b, c }()
	for _, x := range []struct {
		name         string
		has, x, y, z bool
	}{{"plain", true, false, false, false}, {"AVX2", a, true, false, false}, {"AVX-512", b, true, true, false}, {"VNNI", c, true, true, true}} {
		if x.has {
			wide, wider, widest = x.x, x.y, x.z
			do(x.name)
		}
	}
}
