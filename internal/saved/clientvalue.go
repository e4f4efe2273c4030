package saved

import (
	"context"

	"ableroster/internal/fact"

	"github.com/jackc/pgx/v5"
)

// ClientValues are what a client last sent of attributes of a user, by key.
func (s *Store) ClientValues(ctx context.Context, client, user fact.UserID) (map[string]string, error) {
	rows, err := s.Pool.Query(ctx, "select attribute, value from client_value where client_id = $1 and user_id = $2", uint32(client), uint32(user))
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	var key, value string
	_, err = pgx.ForEachRow(rows, []any{&key, &value}, func() error {
		out[key] = value
		return nil
	})
	return out, err
}

// PutClientValues keeps what a client sent, in the place of what it sent before.
func (s *Store) PutClientValues(ctx context.Context, client, user fact.UserID, values map[string]string) error {
	var b pgx.Batch
	for key, value := range values {
		b.Queue(`insert into client_value (client_id, user_id, attribute, value) values ($1, $2, $3, $4)
			on conflict (client_id, user_id, attribute) do update set value = excluded.value`, uint32(client), uint32(user), key, value)
	}
	if b.Len() == 0 {
		return nil
	}
	return s.Pool.SendBatch(ctx, &b).Close()
}
