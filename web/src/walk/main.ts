import '../app.css';
import { mount } from 'svelte';
import Walk from './Walk.svelte';

export default mount(Walk, { target: document.getElementById('app') as HTMLElement });
