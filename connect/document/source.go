// Package document connects document databases that speak the BSON wire
// protocol, through its official driver. Shapes make tables of the documents; a
// server is asked for what it was measured to do just as Rovik does.
package document

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"net"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"go.mongodb.org/mongo-driver/v2/bson"
	"go.mongodb.org/mongo-driver/v2/mongo"
	"go.mongodb.org/mongo-driver/v2/mongo/options"

	"rovik/connect"
	"rovik/core/catalog"
	"rovik/core/fold"
	"rovik/core/plan"
	"rovik/core/shape"
	"rovik/core/value"
)

// Source is a connected document database.
type Source struct {
	name   string
	cfg    connect.Config
	link   *link
	shapes []*shape.Shape
}

// link is the connection, made when it is first needed, and shared by the copies
// of a source that have other shapes.
type link struct {
	mu     sync.Mutex
	client *mongo.Client
}

// New prepares a source; it connects when first used.
func New(name string, cfg connect.Config) (*Source, error) {
	if cfg.Database == "" {
		return nil, value.Errorf(value.CodeSource, "%s: the database is missing", name).WithHint("name the database that holds the documents")
	}
	return &Source{name: name, cfg: cfg, link: &link{}}, nil
}

// Close ends all connections.
func (s *Source) Close() {
	s.link.mu.Lock()
	defer s.link.mu.Unlock()
	if s.link.client != nil {
		ctx, cancel := context.WithTimeout(context.Background(), connect.StepTimeout)
		defer cancel()
		_ = s.link.client.Disconnect(ctx) // nothing is lost: it is only read
	}
}

// database connects, where that was not done.
func (s *Source) database(ctx context.Context) (*mongo.Database, error) {
	s.link.mu.Lock()
	defer s.link.mu.Unlock()
	if s.link.client == nil {
		c, err := s.dial(ctx)
		if err != nil {
			return nil, err
		}
		s.link.client = c
	}
	return s.link.client.Database(s.cfg.Database), nil
}

func (s *Source) dial(ctx context.Context) (*mongo.Client, error) {
	password, err := s.cfg.Password()
	if err != nil {
		return nil, err
	}
	encrypt, err := s.cfg.TLSConfig()
	if err != nil {
		return nil, err
	}
	if encrypt != nil && s.cfg.TLSMode() == connect.TLSPrefer && !s.encrypts(ctx, encrypt) {
		encrypt = nil
	}
	o := options.Client().SetHosts([]string{s.cfg.Address()}).SetAppName("rovik").SetDirect(true).
		SetConnectTimeout(connect.StepTimeout).SetServerSelectionTimeout(connect.StepTimeout).
		SetMaxPoolSize(uint64(s.cfg.Limits.Full().Connections)).SetRetryReads(true).SetRetryWrites(false)
	if encrypt != nil {
		o.SetTLSConfig(encrypt)
	}
	if s.cfg.User != "" {
		o.SetAuth(options.Credential{Username: s.cfg.User, Password: password, PasswordSet: password != ""})
	}
	c, err := mongo.Connect(o)
	if err != nil {
		return nil, s.explain(err)
	}
	return c, nil
}

// encrypts reports whether the server takes a connection that is encrypted.
func (s *Source) encrypts(ctx context.Context, c *tls.Config) bool {
	d := tls.Dialer{NetDialer: &net.Dialer{Timeout: connect.StepTimeout}, Config: c}
	ctx, cancel := context.WithTimeout(ctx, connect.StepTimeout)
	defer cancel()
	conn, err := d.DialContext(ctx, "tcp", s.cfg.Address())
	return err == nil && conn.Close() == nil
}

// explain turns an error of the driver into a sentence.
func (s *Source) explain(err error) error {
	var ve *value.Error
	if err == nil || errors.Is(err, context.Canceled) || errors.As(err, &ve) {
		return err
	}
	const authenticationFailed, unauthorized = 18, 13
	var ce mongo.CommandError
	if errors.As(err, &ce) {
		switch ce.Code {
		case authenticationFailed:
			return value.Errorf(value.CodeSource, "%s: the document server at %s did not accept the user %s and its password", s.name, s.cfg.Address(), s.cfg.User).WithHint("%s", s.cfg.CheckPassword())
		case unauthorized:
			return value.Errorf(value.CodeSource, "%s: the user %s may not read %s: %s", s.name, s.cfg.User, s.cfg.Database, ce.Message).WithHint("grant the user SELECT or read access")
		}
		if ce.HasErrorLabel("NetworkError") {
			return s.broken(err)
		}
		return value.Errorf(value.CodeSource, "%s (document server) says: %s", s.name, ce.Message)
	}
	if strings.Contains(err.Error(), "auth error") || strings.Contains(err.Error(), "AuthenticationFailed") {
		return value.Errorf(value.CodeSource, "%s: the document server at %s did not accept the user %s and its password", s.name, s.cfg.Address(), s.cfg.User).WithHint("%s", s.cfg.CheckPassword())
	}
	if t := connect.TLSFailed(s.name, s.cfg, err); t != nil {
		return t
	}
	return s.broken(err)
}

func (s *Source) broken(err error) error {
	if strings.Contains(err.Error(), "connection refused") {
		return value.Errorf(value.CodeConnection, "%s: no document server answers at %s", s.name, s.cfg.Address()).WithHint("start it, or check host and port")
	}
	if u := connect.Unreachable(s.name, "document", s.cfg, err); u != nil {
		return u
	}
	return value.Errorf(value.CodeConnection, "%s: the connection to the document server broke: %s", s.name, err).WithHint("check the server, then try again")
}

// Language is that of the paths of shapes; see connect.Shaper.
func (s *Source) Language() shape.Language { return shape.JSONPath }

// WithShapes returns the source with shapes for its documents; see
// connect.Shaper.
func (s *Source) WithShapes(shapes []*shape.Shape) connect.Source {
	out := *s
	out.shapes = shapes
	return &out
}

// Sets lists the collections; see connect.Shaper.
func (s *Source) Sets(ctx context.Context) ([]connect.RecordSet, error) {
	db, err := s.database(ctx)
	if err != nil {
		return nil, err
	}
	all, err := db.ListCollectionNames(ctx, bson.D{})
	if err != nil {
		return nil, s.explain(err)
	}
	sort.Strings(all)
	var out []connect.RecordSet
	for _, name := range all {
		if !strings.HasPrefix(name, "system.") {
			out = append(out, connect.RecordSet{Name: name, NeedsShape: true})
		}
	}
	return out, nil
}

// Sample gives documents of a collection; see connect.Shaper.
func (s *Source) Sample(ctx context.Context, set, rows string, give func(connect.Record) error) (string, error) {
	if rows == "" {
		rows = "$"
	}
	if rows != "$" {
		return "", value.Errorf(value.CodeBadParameter, "the records of %s are its documents: their path is $", set)
	}
	db, err := s.database(ctx)
	if err != nil {
		return "", err
	}
	cur, err := db.Collection(set).Find(ctx, bson.D{})
	if err != nil {
		return "", s.explain(err)
	}
	defer cur.Close(ctx)
	for n := int64(1); cur.Next(ctx); n++ {
		doc := cur.Current
		v, err := record(doc)
		if err != nil {
			return "", s.inDocument(set, doc.Lookup("_id"), err)
		}
		err = give(connect.Record{Value: v, Number: n, Text: func() string { return pretty(doc) }})
		if errors.Is(err, connect.ErrEnough) {
			return rows, nil
		}
		if err != nil {
			return "", s.inDocument(set, doc.Lookup("_id"), err)
		}
	}
	return rows, s.explain(cur.Err())
}

// inDocument places an error in a document, by its identifier where it has one.
func (s *Source) inDocument(set string, id bson.RawValue, err error) error {
	place := set
	if !id.IsZero() {
		place += ", document " + extended(id)
	}
	var ve *value.Error
	if !errors.As(err, &ve) {
		return fmt.Errorf("%s: %s: %w", s.name, place, err)
	}
	e := *ve
	e.Message = fmt.Sprintf("%s: %s: %s", s.name, place, ve.Message)
	if _, rest, ok := strings.Cut(ve.Message, ", column "); ok && strings.HasPrefix(ve.Message, "record ") {
		e.Message = fmt.Sprintf("%s: %s, column %s", s.name, place, rest)
	}
	return &e
}

// pretty writes a document for people, as relaxed extended JSON.
func pretty(doc bson.Raw) string {
	b, err := bson.MarshalExtJSONIndent(doc, false, false, "", "  ")
	if err != nil {
		return doc.String()
	}
	return string(b)
}

// Folding judges plans; see connect.Source.
func (s *Source) Folding(found *catalog.Source) fold.Source {
	return &folding{name: s.name, found: found, column: func(plan.ID) (none fold.TableColumn) { return }}
}

// prepare returns a statement's command, and where to run it.
func (s *Source) prepare(ctx context.Context, st *fold.Statement) (*command, *mongo.Database, error) {
	c, ok := st.Own.(*command)
	if !ok {
		return nil, nil, fmt.Errorf("%s: a statement that is not of documents: %q", s.name, st.Text)
	}
	db, err := s.database(ctx)
	return c, db, err
}

// Plan asks the server how it would run a statement; see connect.Source.
func (s *Source) Plan(ctx context.Context, st *fold.Statement) ([]string, error) {
	c, db, err := s.prepare(ctx, st)
	if err != nil {
		return nil, err
	}
	var answer bson.D
	if err := db.RunCommand(ctx, bson.D{{Key: "explain", Value: c.document(false)}}).Decode(&answer); err != nil {
		return nil, s.explain(err)
	}
	shown := bson.D{}
	for _, e := range answer {
		if e.Key == "queryPlanner" || e.Key == "stages" || strings.HasSuffix(e.Key, "Pushdown") {
			shown = append(shown, e)
		}
	}
	text, err := bson.MarshalExtJSONIndent(shown, false, false, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("%s: reading the plan: %w", s.name, err)
	}
	return strings.Split(string(text), "\n"), nil
}

// Try takes the steps to the database; see connect.Source.
func (s *Source) Try(ctx context.Context, steps *connect.Steps) {
	if !steps.Reach(ctx, s.name, "document", s.cfg) {
		return
	}
	began := time.Now()
	db, err := s.database(ctx)
	var hello struct {
		LocalTime time.Time `bson:"localTime"`
	}
	asked := time.Now()
	var took time.Duration
	if err == nil {
		signIn, cancel := context.WithTimeout(ctx, connect.StepTimeout)
		defer cancel()
		err = s.explain(db.RunCommand(signIn, bson.D{{Key: "hello", Value: 1}}).Decode(&hello))
		took = time.Since(asked)
	}
	var ce mongo.CommandError
	steps.SignIn(s.cfg, connect.SignedIn{Err: err, Sentence: err, TLS: connect.TLSFailed(s.name, s.cfg, err), Took: time.Since(began), Answered: errors.As(err, &ce),
		Encryption: func() (string, error) {
			c, err := s.cfg.TLSConfig()
			if err == nil && c != nil && s.encrypts(ctx, c) {
				return "encrypted", nil
			}
			return "not encrypted", err
		}})
	steps.Take(connect.StepRights, func() (string, error) {
		sets, err := s.Sets(ctx)
		if err == nil && len(sets) == 0 {
			err = value.Errorf(value.CodeSource, "the database %s has no collection that can be read", s.cfg.Database).WithHint("check its name, and what the user is granted")
		}
		return fmt.Sprintf("%d collections", len(sets)), err
	})
	if steps.Failed() == nil {
		user, could := s.couldWrite(ctx)
		steps.AdviseReading(user, could)
	}
	steps.Take(connect.StepVersion, func() (string, error) { return s.version(ctx) })
	steps.Take(connect.StepClock, func() (string, error) {
		text, _ := connect.Clock(hello.LocalTime, "UTC", took)
		return text, nil
	})
}

// couldWrite lists what the user may do besides reading; nothing where that is not told.
func (s *Source) couldWrite(ctx context.Context) (user string, could []string) {
	db, err := s.database(ctx)
	if err != nil {
		return "", nil
	}
	var status struct {
		AuthInfo struct {
			Users      []bson.M `bson:"authenticatedUsers"`
			Privileges []struct {
				Resource struct {
					DB         string `bson:"db"`
					Collection string `bson:"collection"`
				} `bson:"resource"`
				Actions []string `bson:"actions"`
			} `bson:"authenticatedUserPrivileges"`
		} `bson:"authInfo"`
	}
	if db.RunCommand(ctx, bson.D{{Key: "connectionStatus", Value: 1}, {Key: "showPrivileges", Value: true}}).Decode(&status) != nil {
		return "", nil
	}
	if len(status.AuthInfo.Users) == 0 {
		return "whoever reaches this server", []string{"it asks for no sign-in"}
	}
	for _, p := range status.AuthInfo.Privileges {
		for _, a := range p.Actions {
			if slices.Contains([]string{"insert", "update", "remove", "createCollection", "dropCollection", "anyAction"}, a) && !slices.Contains(could, a) {
				could = append(could, a)
			}
		}
	}
	return s.cfg.User, could
}

func (s *Source) version(ctx context.Context) (string, error) {
	db, err := s.database(ctx)
	if err != nil {
		return "", err
	}
	var info struct {
		Version string `bson:"version"`
	}
	err = db.RunCommand(ctx, bson.D{{Key: "buildInfo", Value: 1}}).Decode(&info)
	return info.Version, s.explain(err)
}
