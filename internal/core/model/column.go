package model

// Column has something to say of each object of a table.
type Column[K Keyed, T any] struct {
	table Table[K]
	list  []T
}

// NewColumn makes a column beside a table, with what is said of each object in its order.
func NewColumn[K Keyed, T any](table Table[K], list []T) Column[K, T] {
	return Column[K, T]{table, list}
}

// Beside is the column beside another table: what is there in both keeps what is said of it. What the other alone has,
// has nothing yet.
func (c Column[K, T]) Beside(table Table[K]) Column[K, T] {
	next := Column[K, T]{table, make([]T, len(table))}
	EachPair(c.table, table, func(i, j int) {
		if i >= 0 && j >= 0 {
			next.list[j] = c.list[i]
		}
	})
	return next
}

// Of gives what is said of an object, by id.
func (c Column[K, T]) Of(id string) (said T) {
	if i, ok := c.table.Position(id); ok {
		return c.list[i]
	}
	return said
}

// Set says something else of an object, by id, if it is in the table.
func (c Column[K, T]) Set(id string, said T) {
	if i, ok := c.table.Position(id); ok {
		c.list[i] = said
	}
}

// All gives what is said of all, in the order of the table. It must not be altered.
func (c Column[K, T]) All() []T { return c.list }
