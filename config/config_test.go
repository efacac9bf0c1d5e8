package config_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/config"
)

var key = strings.Repeat("0a", 32)

// given sets the environment to nothing but some settings.
func given(t *testing.T, env map[string]string) {
	for _, s := range config.Settings() {
		t.Setenv(s.Name, "")
		require.NoError(t, os.Unsetenv(s.Name))
	}
	for name, v := range env {
		t.Setenv(name, v)
	}
}

func TestSettingsComeFromTheFileAndTheEnvironment(t *testing.T) {
	given(t, map[string]string{"ESKADEL_KEY": key, "ESKADEL_CACHE": "64"})
	file := filepath.Join(t.TempDir(), "settings")
	require.NoError(t, os.WriteFile(file, []byte("# of this machine\nESKADEL_DATABASE=postgres://a:b@db/e\nESKADEL_CACHE=12\nESKADEL_PROXIES=\"10.0.0.0/8, 127.0.0.1\"\nESKADEL_KEYS_BEFORE="+strings.Repeat("0b", 32)+"\n"), 0o600))
	c, err := config.Read(file)
	require.NoError(t, err)
	assert.Equal(t, "postgres://a:b@db/e", c.Database)
	assert.EqualValues(t, 64<<20, c.CacheBytes, "the environment comes first")
	assert.Equal(t, "127.0.0.1:8080", c.Listen, "the usual")
	assert.Equal(t, time.Minute, c.LongestAge)
	assert.Len(t, c.Proxies, 2)
	require.Len(t, c.Keys, 2)
	assert.EqualValues(t, 0x0a, c.Keys[0][0], "the first seals")
}

// What is wrong names the setting, and never repeats what is secret.
func TestSettingsThatCannotBe(t *testing.T) {
	good := map[string]string{"ESKADEL_DATABASE": "postgres://a:b@db/e", "ESKADEL_KEY": key}
	for name, v := range map[string]string{
		"ESKADEL_DATABASE": "mysql://a:swordfish@db", "ESKADEL_KEY": "swordfish", "ESKADEL_KEYS_BEFORE": key + ",swordfish", "ESKADEL_LISTEN": "here",
		"ESKADEL_METRICS": "127.0.0.1:99999", "ESKADEL_ZONE": "Nowhere/There", "ESKADEL_PROXIES": "10.0.0.0/64", "ESKADEL_LONGEST_AGE": "2h",
		"ESKADEL_CACHE": "0", "ESKADEL_SLOW": "fast", "ESKADEL_STOP_WITHIN": "-1s", "ESKADEL_FILES": "postgres://a:b@db/f", "ESKADEL_FILES_READER": "postgres://db/f", "ESKADEL_SCRATCH": "x",
	} {
		given(t, good)
		t.Setenv(name, v)
		_, err := config.Read("")
		require.Error(t, err, name)
		assert.Contains(t, err.Error(), "ESKADEL_", name)
		if name != "ESKADEL_FILES" {
			assert.Contains(t, err.Error(), name)
		}
		assert.NotContains(t, err.Error(), "swordfish")
	}
	for name := range good {
		given(t, good)
		t.Setenv(name, "")
		_, err := config.Read("")
		assert.ErrorContains(t, err, name)
	}
	given(t, good)
	file := filepath.Join(t.TempDir(), "settings")
	require.NoError(t, os.WriteFile(file, []byte("ESKADEL_LISTENS=:80\n"), 0o600))
	_, err := config.Read(file)
	assert.ErrorContains(t, err, "ESKADEL_LISTENS")
	_, err = config.Read(file + "-not")
	assert.Error(t, err)
}
