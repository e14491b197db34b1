package connect

import (
	"net"
	"net/url"
	"regexp"
	"strconv"
	"strings"

	"rovik/core/value"
)

// Port is the usual port of a kind of server; 0 for what is none.
func Port(kind string) int {
	return map[string]int{"postgresql": 5432, "mariadb": 3306, "document": 27017}[kind]
}

// ParseAddress reads a connection string as people copy it: a URL of a server
// or file, PostgreSQL's key=value form, or user:password@tcp(host:port)/name.
// The password comes apart, so that it can be kept apart.
func ParseAddress(s string) (kind string, c Config, password string, err error) {
	s = strings.TrimSpace(s)
	scheme, rest, isURL := strings.Cut(s, "://")
	switch {
	case isURL:
		return parseURL(strings.ToLower(scheme), rest, s)
	case goForm.MatchString(s):
		return parseGoForm(s)
	case keyValue.MatchString(s):
		return parseKeyValue(s)
	}
	return "", c, "", unreadableAddress()
}

// unreadableAddress does not repeat the text: there may be a password in it.
func unreadableAddress() error {
	return value.Errorf(value.CodeSource, "the connection string cannot be read").
		WithHint("write it as postgresql://user@host:5432/database, mysql://user@host:3306/database or sqlite:///path/to/file, or fill in the fields")
}

var schemes = map[string]string{"postgres": "postgresql", "postgresql": "postgresql", "mysql": "mariadb", "mariadb": "mariadb", "jdbc:postgresql": "postgresql",
	"jdbc:mariadb": "mariadb", "jdbc:mysql": "mariadb", "sqlite": "sqlite", "file": "sqlite", "mongodb": "document",
	"parquet": "parquet", "csv": "csv", "json": "json", "xml": "xml"}

func parseURL(scheme, rest, whole string) (kind string, c Config, password string, err error) {
	kind = schemes[scheme]
	if kind == "" {
		return "", c, "", unreadableAddress()
	}
	u, err := url.Parse("x://" + rest)
	if err != nil {
		return "", c, "", unreadableAddress()
	}
	if Port(kind) == 0 {
		c.Path = u.Path
		if u.Host != "" { // sqlite://folder/file
			c.Path = u.Host + u.Path
		}
		return kind, c, "", nil
	}
	if c.Host, c.Port, err = hostPort(u.Host, kind); err != nil {
		return "", c, "", err
	}
	c.Database = strings.TrimPrefix(u.Path, "/")
	c.User = u.User.Username()
	password, _ = u.User.Password()
	for key, values := range u.Query() {
		password, err = c.set(key, values[0], password)
		if err != nil {
			return "", c, "", err
		}
	}
	return kind, c, password, nil
}

func hostPort(s, kind string) (string, int, error) {
	if s == "" {
		return "127.0.0.1", Port(kind), nil
	}
	host, port, err := net.SplitHostPort(s)
	if err != nil {
		return strings.Trim(s, "[]"), Port(kind), nil
	}
	n, err := strconv.Atoi(port)
	if err != nil || n < 1 || n > 65535 {
		return "", 0, value.Errorf(value.CodeSource, "%q is not a port", port).WithHint("ports go from 1 to 65535")
	}
	return host, n, nil
}

// set takes a parameter of a connection string; those that do not concern the
// connection itself are left out.
func (c *Config) set(key, v, password string) (string, error) {
	switch strings.ToLower(key) {
	case "host", "hostaddr":
		c.Host = v
	case "port":
		n, err := strconv.Atoi(v)
		if err != nil || n < 1 || n > 65535 {
			return "", value.Errorf(value.CodeSource, "%q is not a port", v).WithHint("ports go from 1 to 65535")
		}
		c.Port = n
	case "dbname", "database":
		c.Database = v
	case "user":
		c.User = v
	case "password":
		return v, nil
	case "sslrootcert":
		c.CA = v
	case "sslmode", "ssl-mode", "tls":
		mode, ok := map[string]string{"disable": TLSOff, "disabled": TLSOff, "false": TLSOff, "allow": TLSPrefer, "prefer": TLSPrefer, "preferred": TLSPrefer,
			"require": TLSRequire, "required": TLSRequire, "skip-verify": TLSRequire, "true": TLSVerify, "verify-ca": TLSVerify, "verify-full": TLSVerify, "verify_ca": TLSVerify, "verify_identity": TLSVerify}[strings.ToLower(v)]
		if !ok {
			return "", value.Errorf(value.CodeSource, "%s=%s is not a TLS mode", key, v).WithHint("use disable, prefer, require or verify-full")
		}
		c.TLS = mode
	}
	return password, nil
}

var goForm = regexp.MustCompile(`^(?s)(?:([^:@]*)(?::(.*))?@)?tcp\(([^)]*)\)/([^?]*)(?:\?(.*))?$`)

func parseGoForm(s string) (kind string, c Config, password string, err error) {
	m := goForm.FindStringSubmatch(s)
	c.User, password, c.Database = m[1], m[2], m[4]
	if c.Host, c.Port, err = hostPort(m[3], "mariadb"); err != nil {
		return "", c, "", err
	}
	query, err := url.ParseQuery(m[5])
	if err != nil {
		return "", c, "", unreadableAddress()
	}
	for key, values := range query {
		if password, err = c.set(key, values[0], password); err != nil {
			return "", c, "", err
		}
	}
	return "mariadb", c, password, nil
}

// keyValue is PostgreSQL's own form: host=… dbname='…'.
var keyValue = regexp.MustCompile(`^\s*(?:(\w+)\s*=\s*('(?:[^'\\]|\\.)*'|[^\s']*)\s*)+$`)

var onePair = regexp.MustCompile(`(\w+)\s*=\s*('(?:[^'\\]|\\.)*'|[^\s']*)`)

func parseKeyValue(s string) (kind string, c Config, password string, err error) {
	c.Host, c.Port = "127.0.0.1", Port("postgresql")
	for _, m := range onePair.FindAllStringSubmatch(s, -1) {
		v := m[2]
		if strings.HasPrefix(v, "'") {
			v = strings.NewReplacer(`\'`, `'`, `\\`, `\`).Replace(v[1 : len(v)-1])
		}
		if password, err = c.set(m[1], v, password); err != nil {
			return "", c, "", err
		}
	}
	return "postgresql", c, password, nil
}
