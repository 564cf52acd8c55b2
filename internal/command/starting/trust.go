package starting

import (
	"fmt"
	"net/netip"
	"os"

	"github.com/urfave/cli/v3"

	"yalvo/internal/command/flags"
	"yalvo/internal/doors/tokens"
	"yalvo/internal/machine/service"
)

// trustFlags say whom a service believes: tokens of the app's identity provider, proxies, and
// by what it is known itself.
func trustFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "token-secret", Usage: "believe tokens signed with the secret in this file (HS256)"},
		&cli.StringFlag{
			Name: "token-key",
			Usage: "believe tokens signed with the public key, or certificate, in this " +
				"PEM file",
		},
		&cli.StringFlag{Name: "token-keys", Usage: "believe tokens signed with the keys at this address (a JSON Web " +
			"Key Set)"},
		&cli.StringFlag{Name: "token-issuer", Usage: "what such tokens must name as their issuer (iss)"},
		&cli.StringFlag{Name: "token-audience", Usage: "what they must name as who they are for (aud)"},
		&cli.StringFlag{Name: "certificate", Usage: "answer with TLS: the file of the certificate"},
		&cli.StringFlag{Name: "certificate-key", Usage: "and the file of its key"},
		&cli.StringSliceFlag{
			Name: "behind",
			Usage: "a network of proxies that are believed which address a request comes " +
				"from (X-Forwarded-For), such as 10.1.0.0/16; may be given several times",
		},
	}
}

// trust reads what the flags say into the options of a service.
func trust(c *cli.Command, o *service.Options) (err error) {
	if o.Behind, err = networks("behind", c.StringSlice("behind")); err != nil {
		return err
	}
	o.Certificate = [2]string{c.String("certificate"), c.String("certificate-key")}
	if (o.Certificate[0] == "") != (o.Certificate[1] == "") {
		return flags.Usage("--certificate and --certificate-key go together")
	}
	o.Tokens, err = trusted(c)
	return err
}

// trusted is the identity provider that the flags name, nil for none.
func trusted(c *cli.Command) (*tokens.Trust, error) {
	t := &tokens.Trust{JWKS: c.String("token-keys"), Issuer: c.String("token-issuer"),
		Audience: c.String("token-audience")}
	given := 0
	for flag, into := range map[string]*[]byte{"token-secret": &t.Secret, "token-key": &t.PEM} {
		name := c.String(flag)
		if name == "" {
			continue
		}
		given++
		text, err := os.ReadFile(name)
		if err != nil {
			return nil, fmt.Errorf("--%s: %w", flag, err)
		}
		*into = text
	}
	if t.JWKS != "" {
		given++
	}
	switch {
	case given > 1:
		return nil, flags.Usage("--token-secret, --token-key and --token-keys each say what tokens are signed with: " +
			"give one")
	case given == 1:
		return t, nil
	case t.Issuer != "" || t.Audience != "":
		return nil, flags.Usage("--token-issuer and --token-audience say nothing of what tokens are signed with: " +
			"give " +
			"--token-secret, --token-key or --token-keys")
	}
	return nil, nil
}

// networks reads addresses of networks, or of single machines.
func networks(flag string, texts []string) ([]netip.Prefix, error) {
	var all []netip.Prefix
	for _, text := range texts {
		network, err := netip.ParsePrefix(text)
		if err != nil {
			var one netip.Addr
			if one, err = netip.ParseAddr(text); err == nil {
				network, err = one.Prefix(one.BitLen())
			}
		}
		if err != nil {
			return nil, flags.Usage("--%s takes a network as in 10.1.0.0/16, or an address, not %q", flag, text)
		}
		all = append(all, network.Masked())
	}
	return all, nil
}
