-- +goose Up
-- Whether a record is over, as core/fields.Closed says it, which a test holds it against: it is not counted among what is
-- open.
-- +goose StatementBegin
CREATE FUNCTION is_over(kind text, stage text) RETURNS boolean LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT CASE kind WHEN 'deal' THEN stage IN ('won', 'lost') WHEN 'case' THEN stage = 'solved'
    WHEN 'quote' THEN stage IN ('accepted', 'declined', 'expired') WHEN 'order' THEN stage IN ('done', 'cancelled')
    WHEN 'visit' THEN stage IN ('done', 'cancelled') WHEN 'delivery' THEN stage IN ('delivered', 'returned')
    WHEN 'invoice' THEN stage IN ('paid', 'written off') ELSE false END
$$;
-- +goose StatementEnd

-- +goose Down
DROP FUNCTION is_over;
